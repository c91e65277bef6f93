using System.Globalization;
using System.Text.Json.Serialization.Metadata;
using System.Text.RegularExpressions;
using Maschera.Core.Basics;
using Maschera.Core.Signals;

namespace Maschera.Core.Readings.PressureHold;

/// <summary>Whether a pressure holds once its pump stands, and where it goes.</summary>
public sealed partial class PressureHoldReading : ReadingOf<PressureHoldResult>
{
    /// <summary>The usual limit: this share of the pressure at the stop in a minute.</summary>
    private const double UsualShare = 0.05,
        UsualSeconds = 60;

    /// <summary>A hold shorter than this share of the limit's time tells nothing.</summary>
    private const double LeastOfLimit = 0.25;

    /// <summary>A pressure that rises by this share of itself is heated.</summary>
    private const double Heated = 0.003;

    private static readonly double[] s_after = [10, 20, 30, 60, 90, 120, 180, 300, 600, 1800];

    public override JsonTypeInfo ResultJson => PressureHoldJson.Default.PressureHoldResult;
    public override string Kind => "pressure-hold";
    public override string Title => "Pressure hold";

    public override string Method =>
        "The decay begins half a second behind the pump's stop, found on the pump or on the pressure itself; drops are taken from lines "
        + "through the samples about each moment.\n"
        + "With the supply or the return shut in a second capture the leak's share is told by both rates at the same pressure.";

    public override JobStep Step => JobStep.Circuit;

    public override IReadOnlyList<Verdict> Verdicts { get; } =
    [new("holds", Tone.Fine, "holds"), new("leaks", Tone.Fault, "leaks away"), Verdict.Unusable];

    public override IReadOnlyList<Role> Roles { get; } = [new("pressure", "Pressure", [], []), new("pump", "Pump", [], [])];

    public override IReadOnlyList<ReadingOption> Options { get; } =
    [
        new("limit", "May lose, such as 0.2/60", OptionType.Words)
        {
            Usual = "5 % in 60 s",
            Known = new("Lost a minute", "pressure", most => FormattableString.Invariant($"{most}/60")),
        },
        new("shut", "The known-good capture had shut", OptionType.Choice)
        {
            Usual = "not said",
            Choices = [("supply", "the supply"), ("return", "the return")],
        },
    ];

    public override bool TakesReference => true;

    public override IReadOnlyList<string> ReferenceRoles => ["pressure"];

    /// <summary>Where a pressure was logged with its pump.</summary>
    public override IEnumerable<Suggestion> Suggest(CaptureFacts capture) =>
        capture.Channels.Count <= 4
        && capture.Channels.Any(c => PressureUnits().IsMatch(c.Unit))
        && capture.Channels.Any(c => c.Name.Contains("pump", StringComparison.OrdinalIgnoreCase) && !PressureUnits().IsMatch(c.Unit))
            ? [new(OnlyIfUsable: true)]
            : [];

    protected override PressureHoldResult Make(ReadingRequest request, CancellationToken cancel)
    {
        var limit = Limit(request);
        var channels = RoleResolver.Resolve(this, request with { Channels = WithGuesses(request.Capture, request.Channels) });
        if (!channels.TryGetValue("pressure", out var pressure))
            return Unusable(channels, new Note("no-pressure", "A pressure is needed: --channel pressure=COLUMN."));
        var (clean, spikes) = Spikes.Without(pressure);
        if (HoldOf(clean, channels.GetValueOrDefault("pump")) is not { } hold)
            return Unusable(channels, NeverOff(channels.GetValueOrDefault("pump")));
        var seconds = limit?.Seconds ?? UsualSeconds;
        if (!hold.IsEnough || hold.Length < LeastOfLimit * seconds)
            return Unusable(
                channels,
                new Note(
                    "short",
                    $"The pressure is followed for {hold.Length:0} s; the limit speaks of {seconds:0} s. Log at least "
                        + "a quarter of that, better all "
                        + "of it."
                )
            );
        var result = Build(request, channels, hold, limit?.Drop ?? UsualShare * hold.Pressure, seconds);
        return spikes == 0 ? result : result with { Notes = [.. result.Notes, SpikesLeftOut(pressure, spikes)] };
    }

    private static Note NeverOff(Channel? pump) =>
        pump is not null
            ? new("never-off", "The pump never stops here. Let it build up pressure, switch it off and log on for a minute.")
            : new(
                "never-off",
                "No stop of a pump shows in this pressure. Log its command or current as well, let it build up pressure, switch it off and "
                    + "log on for a minute."
            );

    private static Note SpikesLeftOut(Channel pressure, int count) =>
        new(
            "spikes",
            $"'{pressure.Name}' stands off its neighbours in {count} single samples, as no pressure can: they are left out. Look at the "
                + "wire and the connector."
        );

    private static Hold? HoldOf(Channel pressure, Channel? pump) =>
        StopFinder.Find(pressure, pump) is { } found ? new Hold(pressure, found.From, found.To, found.KnowsStop) : null;

    private static PressureHoldResult Build(
        ReadingRequest request,
        Dictionary<string, Channel> channels,
        Hold hold,
        double limitDrop,
        double limitSeconds
    )
    {
        var judgedAt = Math.Min(limitSeconds, hold.Length);
        var leaks = hold.Drop(judgedAt) > limitDrop * judgedAt / limitSeconds;
        List<Note> notes = [];
        var shut = request.Options.GetValueOrDefault("shut");
        var other = request.Reference is null ? null : OtherHold(request, notes);
        var share = leaks && other is not null ? Share(hold, other) : (double?)null;
        AddNotes(notes, channels, hold, limitSeconds, request.Reference is not null, shut);
        var unit = channels["pressure"].Unit;
        return new PressureHoldResult
        {
            Verdict = leaks ? "leaks" : "holds",
            Sentence = Sentence(hold, leaks, limitDrop, limitSeconds, unit, shut, share),
            Notes = notes,
            Channels = RoleResolver.Names(channels),
            Span = new Stretch(hold.Stop, hold.Stop + hold.Length),
            StopAt = hold.KnowsStop ? hold.Stop : null,
            StopPressure = hold.Pressure,
            Unit = unit,
            DropAfter = [.. s_after.Where(s => s <= hold.Length).Select(s => new PressureDrop(s, hold.Drop(s)))],
            RatePerMinute = hold.RatePerMinute,
            HalfLifeSeconds = leaks ? hold.HalfLife : null,
            With = other is null ? null : $"{shut ?? "something"}-shut",
            Share = share is { } own ? new Dictionary<string, double> { [shut ?? "shut"] = own, ["rest"] = 1 - own } : null,
            LimitDrop = limitDrop,
            LimitSeconds = limitSeconds,
            Course = hold.Course(),
            ShutCourse = other?.Course() ?? [],
        };
    }

    private static Hold? OtherHold(ReadingRequest request, List<Note> notes)
    {
        var named = request.ReferenceChannels.Count > 0 ? request.ReferenceChannels : request.Channels;
        var known = named.Where(c => request.Reference!.Find(c.Value) is not null).ToDictionary(c => c.Key, c => c.Value);
        var roles = WithGuesses(request.Reference!, known);
        var pressure = roles.TryGetValue("pressure", out var name) ? request.Reference!.Find(name) : null;
        var pump = roles.TryGetValue("pump", out var drive) ? request.Reference!.Find(drive) : null;
        var other = pressure is null ? null : HoldOf(Spikes.Without(pressure).Pressure, pump);
        if (other is { IsEnough: true })
            return other;
        notes.Add(new("reference-unusable", "The capture with something shut shows no hold: it is left out."));
        return null;
    }

    /// <summary>What of the leak is gone with the way shut: both rates at one pressure, a leak's flow growing with it.</summary>
    private static double Share(Hold hold, Hold other)
    {
        var (own, shut) = (hold.Span, other.Span);
        var at = Math.Clamp((shut.Low + shut.High) / 2, own.Low, own.High);
        var shutAt = Math.Clamp(at, shut.Low, shut.High);
        var left = Math.Max(0, other.RateAt(shutAt)) * at / Math.Max(1e-9, shutAt);
        var rate = hold.RateAt(at);
        return rate > 0 ? Math.Clamp(1 - left / rate, 0, 1) : 0;
    }

    private static void AddNotes(
        List<Note> notes,
        Dictionary<string, Channel> channels,
        Hold hold,
        double limitSeconds,
        bool hasReference,
        string? shut
    )
    {
        if (-hold.Drop(hold.Length) > Heated * hold.Pressure)
            notes.Add(
                new("rises", "The pressure rises after the stop: heat. A small leak can hide behind it; hold again with the engine cold.")
            );
        if (!hold.KnowsStop)
            notes.Add(new("stop-unseen", "The pump stood before the file begins: what was lost until then is not counted."));
        else if (!channels.ContainsKey("pump"))
            notes.Add(new("stop-guessed", "The stop is found on the pressure itself, to about half a second."));
        if (hold.Length < limitSeconds)
            notes.Add(new("scaled", $"The hold lasts {hold.Length:0} s, the limit is for {limitSeconds:0} s: it is taken in proportion."));
        if (hasReference && shut is null)
            notes.Add(new("shut-unknown", "What the second capture had shut was not said: --shut supply or --shut return."));
    }

    private static string Sentence(Hold hold, bool leaks, double limitDrop, double limitSeconds, string unit, string? shut, double? share)
    {
        var after = Math.Min(limitSeconds, hold.Length);
        var lost = hold.Drop(after);
        var start =
            $"{Figure(hold.Pressure)} {unit} at the stop, {Figure(Math.Abs(lost))} {unit} {(lost < 0 ? "more" : "less")} after {after:0} s";
        if (!leaks)
            return $"{start}: it holds ({Figure(limitDrop)} {unit} in {limitSeconds:0} s may be lost).";
        if (share is not { } own || shut is null)
            return $"{start}: it leaks away. Shut the supply and hold again to see which way it goes.";
        var way = shut == "supply" ? "back through the supply, past the pump's check valve" : "through the return, past the regulator";
        return $"{start}: it leaks away, {100 * own:0} % of it {way}"
            + (own < 0.9 ? $"; {100 * (1 - own):0} % goes another way (injectors, {(shut == "supply" ? "return" : "supply")})." : ".");
    }

    private static (double Drop, double Seconds)? Limit(ReadingRequest request)
    {
        if (!request.Options.TryGetValue("limit", out var text))
            return null;
        var parts = text.Split('/');
        return parts.Length == 2 && TypedNumber.Parse(parts[0]) is { } drop and > 0 && TypedNumber.Parse(parts[1]) is { } seconds and > 0
            ? (drop, seconds)
            : throw new ReadingException($"--limit takes a drop and seconds such as 0.2/60, not '{text}'.");
    }

    private static Dictionary<string, string> WithGuesses(Signals.Capture capture, IReadOnlyDictionary<string, string> named)
    {
        var roles = named.ToDictionary(c => c.Key, c => c.Value);
        var free = capture.Channels.Where(c => !roles.Values.Contains(c.Name, StringComparer.OrdinalIgnoreCase)).ToList();
        if (
            !roles.ContainsKey("pressure")
            && free.OrderBy(c => PressureNames().IsMatch(c.Name) ? 0 : 1).FirstOrDefault(IsPressure) is { } pressure
        )
            roles["pressure"] = pressure.Name;
        if (!roles.ContainsKey("pump") && free.FirstOrDefault(c => !IsPressure(c) && PumpNames().IsMatch(c.Name)) is { } pump)
            roles["pump"] = pump.Name;
        return roles;
    }

    private static bool IsPressure(Channel channel) => channel.Words is null && PressureUnits().IsMatch(channel.Unit);

    private static string Figure(double value) =>
        value.ToString(
            Math.Abs(value) >= 100 ? "0"
                : Math.Abs(value) >= 10 ? "0.0"
                : "0.00",
            CultureInfo.InvariantCulture
        );

    [GeneratedRegex("pressure|druck|pression|transducer|rail", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex PressureNames();

    [GeneratedRegex("pump|relay|relais|clamp|command|current|voltage|supply", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex PumpNames();

    [GeneratedRegex("^(?:bar|mbar|kpa|mpa|hpa|pa|psi|kg/cm2|kg/cm²)$", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex PressureUnits();
}
