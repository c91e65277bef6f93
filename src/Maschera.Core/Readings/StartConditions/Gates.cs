using System.Globalization;
using System.Text.RegularExpressions;
using Maschera.Core.Quantities;
using Maschera.Core.Signals;

namespace Maschera.Core.Readings.StartConditions;

/// <summary>Judges the gates one by one in their order.</summary>
/// <param name="log">The log.</param>
/// <param name="isDiesel">False for a petrol engine, and where the fuel is not known.</param>
/// <param name="told">What the vehicle needs, by condition.</param>
internal sealed partial class Gates(CrankingLog log, bool isDiesel, IReadOnlyDictionary<string, double> told)
{
    /// <summary>V and rpm while cranking, bar of a diesel's common rail, s until cam and crank are in step.</summary>
    private const double LeastBattery = 9.6,
        LeastDieselSpeed = 150,
        LeastSpeed = 120,
        LeastDieselRail = 200,
        LongestSync = 3;

    /// <summary>The first moments of the starter do not count, s.</summary>
    private const double Inrush = 0.3;

    /// <summary>A rail reaches what it is asked for where it comes to this share of it.</summary>
    private const double OfDesired = 0.8;

    private readonly double _from = log.Span!.Value.From;
    private readonly double _to = log.Span!.Value.To;

    /// <summary>All six, what follows from an earlier one not accused.</summary>
    public List<StartCondition> All()
    {
        var immobiliser = Immobiliser();
        var battery = Battery();
        var speed = battery.IsMissing ? Follows(Speed(), "a weak battery turns an engine slowly") : Speed();
        var turnsBadly = battery.IsMissing || speed.IsMissing && !log.ShowsSpeed;
        var rail = turnsBadly || immobiliser.IsMissing ? Follows(Rail(), "the engine is hardly turned") : Rail();
        var sync = Sync();
        if (turnsBadly || immobiliser.IsMissing)
            sync = Follows(
                sync,
                immobiliser.IsMissing ? "the immobiliser is locked" : "the engine is hardly turned, or its speed is not seen"
            );
        var fuelCommand = FuelCommand(sync);
        if (rail.IsMissing)
            fuelCommand = Follows(fuelCommand, "the module waits for the rail pressure");
        if (turnsBadly || immobiliser.IsMissing)
            fuelCommand = Follows(fuelCommand, immobiliser.IsMissing ? "the immobiliser is locked" : "what comes before is missing");
        return [battery, speed, rail, sync, fuelCommand, immobiliser];
    }

    private static StartCondition Follows(StartCondition gate, string why) =>
        gate.IsMissing ? gate with { State = StartCondition.NotLogged, Text = $"Not accused: {why}." } : gate;

    private StartCondition Gate(string name, bool? met, double? figure, double? need, string unit, string text) =>
        new(
            name,
            met switch
            {
                true => StartCondition.Met,
                false => StartCondition.Missing,
                null => StartCondition.NotLogged,
            },
            figure is { } f && double.IsFinite(f) ? f : null,
            need,
            unit,
            _from,
            _to,
            text
        );

    private StartCondition NotLogged(string name, string what) => Gate(name, null, null, null, "", $"{what} was not logged.");

    private StartCondition Battery()
    {
        if (!log.Has("battery"))
            return NotLogged("battery", "The battery");
        var need = told.GetValueOrDefault("battery", LeastBattery);
        var volts = Median("battery");
        return Gate(
            "battery",
            volts >= need,
            volts,
            need,
            "V",
            $"The battery keeps {Number(volts)} V while cranking; {Number(need)} are needed."
        );
    }

    private StartCondition Speed()
    {
        if (!log.Has("rpm"))
            return NotLogged("speed", "The engine speed");
        var need = told.GetValueOrDefault("speed", isDiesel ? LeastDieselSpeed : LeastSpeed);
        if (!log.ShowsSpeed)
            return Gate(
                "speed",
                false,
                0,
                need,
                "rpm",
                "The starter loads the battery, but no speed is shown: crank sensor, its ring or its wire."
            );
        var rpm = Median("rpm");
        return Gate("speed", rpm >= need, rpm, need, "rpm", $"It is turned at {rpm:0} rpm; {need:0} are needed.");
    }

    private StartCondition Rail()
    {
        if (!log.Has("rail-pressure"))
            return NotLogged("rail-pressure", "The rail pressure");
        var values = log.Values("rail-pressure", _from + Inrush, _to);
        var bar = Statistics.Quantile(values, 0.95);
        var need =
            told.TryGetValue("rail-pressure", out var own) ? own
            : isDiesel ? LeastDieselRail
            : Desired();
        if (need is not { } least)
            return Gate(
                "rail-pressure",
                null,
                bar,
                null,
                "bar",
                $"The rail comes to {bar:0} bar; what it needs is not known. Say so with --need."
            );
        return Gate("rail-pressure", bar >= least, bar, least, "bar", $"The rail comes to {bar:0} bar; {least:0} are needed.");
    }

    private double? Desired()
    {
        var values = log.Values("rail-desired", _from + Inrush, _to);
        var bar = values.Length > 0 ? OfDesired * Statistics.Quantile(values, 0.5) : 0;
        return bar > 0 ? bar : null;
    }

    private StartCondition Sync()
    {
        if (log.Channel("sync") is not { } sync)
            return NotLogged("sync", "Whether cam and crank are in step");
        var need = told.GetValueOrDefault("sync", LongestSync);
        if (Seconds(sync, InStep) is not { } seconds)
            return _to - _from < need && !log.Runs
                ? Gate("sync", null, null, need, "s", $"It was turned for {_to - _from:0.0} s only: cam and crank may have needed longer.")
                : Gate("sync", false, null, need, "s", "Cam and crank never come into step: sensors, their wires, or the timing.");
        return Gate(
            "sync",
            seconds <= need,
            seconds,
            need,
            "s",
            $"Cam and crank are in step after {Number(seconds)} s; {need:0.#} s may be."
        );
    }

    private StartCondition FuelCommand(StartCondition sync)
    {
        if (log.Channel("quantity") is not { } quantity)
            return NotLogged("fuel-command", "The commanded fuel");
        if (sync.State != StartCondition.Met && log.Has("sync"))
            return Gate("fuel-command", null, null, null, quantity.Unit, "Not judged: without step no fuel is commanded.");
        var since = _from + Math.Max(Inrush, sync.Figure ?? 0);
        var values = log.Values("quantity", since, Math.Max(_to, since));
        var most = values.Length > 0 ? Statistics.Quantile(values, 0.9) : 0;
        return Gate(
            "fuel-command",
            most > 0,
            most,
            null,
            quantity.Unit,
            most > 0 ? $"Fuel is commanded ({Number(most)} {quantity.Unit})." : "No fuel is commanded although cam and crank are in step."
        );
    }

    private StartCondition Immobiliser()
    {
        if (log.Channel("immobiliser") is not { } channel)
            return NotLogged("immobiliser", "The immobiliser");
        if (channel.Words is not { } words)
            return Gate("immobiliser", null, null, null, "", "The immobiliser is logged as a number whose meaning is not known.");
        var inside = channel.Between(_from, _to).Samples.Where(float.IsFinite).ToList();
        var last = inside.Count > 0 ? (int)inside[inside.Count / 2] : -1;
        var word = last >= 0 && last < words.Count ? words[last] : "";
        var locked = Locked().IsMatch(word);
        return Gate("immobiliser", !locked, null, null, "", $"The immobiliser says “{word}”.");
    }

    /// <summary>Seconds from the start of cranking until a state holds; null where it never does.</summary>
    private double? Seconds(Channel channel, Func<Channel, float, bool> holds)
    {
        for (var i = channel.Time.IndexAtOrAfter(_from); i < channel.Time.Count && channel.Time[i] <= _to + 0.5; i++)
            if (float.IsFinite(channel.Samples[i]) && holds(channel, channel.Samples[i]))
                return channel.Time[i] - _from;
        return null;
    }

    private static bool InStep(Channel channel, float value) =>
        channel.Words is { } words ? (int)value < words.Count && !OutOfStep().IsMatch(words[(int)value]) : value >= 0.5;

    private double Median(string role)
    {
        var values = log.Values(role, _from + Inrush, _to);
        return Statistics.Quantile(values.Length > 0 ? values : log.Values(role, _from, _to), 0.5);
    }

    private static string Number(double value) => value.ToString("0.##", CultureInfo.InvariantCulture);

    [GeneratedRegex(
        @"^(?:0|no|nein|non|off|false|none|not\b.*|un.*|lost.*|search.*|wait.*|out\b.*|fehlt|kein.*)$",
        RegexOptions.IgnoreCase | RegexOptions.CultureInvariant
    )]
    private static partial Regex OutOfStep();

    [GeneratedRegex(
        @"^(?!unlock|not lock|unblock)(?:.*lock.*|.*block.*|.*denied.*|active|armed"
            + @"|not (?:auth|rel|ok).*|unauth.*|gesperrt|on|wrong.*|inval.*)$",
        RegexOptions.IgnoreCase | RegexOptions.CultureInvariant
    )]
    private static partial Regex Locked();
}
