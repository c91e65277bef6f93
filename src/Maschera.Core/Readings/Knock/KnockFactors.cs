using System.Globalization;
using Maschera.Core.Signals;

namespace Maschera.Core.Readings.Knock;

/// <summary>What each thing that was logged says for real knock or for noise.</summary>
internal sealed class KnockFactors(KnockLog log)
{
    public const string Real = "real",
        False = "false",
        Nothing = "nothing";

    /// <summary>Light is below this share of the load's reach; noise is heard there this often, knock hardly ever.</summary>
    private const double LightShare = 0.4,
        OftenLight = 0.3,
        HardlyLight = 0.12;

    /// <summary>A pull is above this share of the load's reach, and as long as a knock needs to come, s.</summary>
    private const double HighShare = 0.7,
        PullSeconds = 1.5;

    /// <summary>Pulls that have it are warmer than those that don't by so much, °C.</summary>
    private const double Warmer = 5;

    /// <summary>Coolant and intake air, °C: hot enough for knock, and cool enough to speak against it.</summary>
    private const double HotCoolant = 103,
        HotAir = 52,
        CoolCoolant = 98,
        CoolAir = 45;

    /// <summary>
    /// Lambda under load: lean enough for knock, and rich enough to speak against it; volts of a narrow-band sensor likewise.
    /// </summary>
    private const double Lean = 1.035,
        InOrder = 1.015,
        LeanVolts = 0.2,
        RichVolts = 0.35;

    /// <summary>Air to fuel at lambda 1, petrol.</summary>
    private const double Stoichiometric = 14.7;

    /// <summary>
    /// Retard that stays near its worst for so long does not help, s; knock is gone sooner. Where it comes with load only, it may be
    /// held as long as a pull lasts.
    /// </summary>
    private const double StaysLong = 4,
        StaysBeyondPull = 10,
        GoneSoon = 2.5;

    /// <summary>Spark given back: a fall of the retard by this share of its worst.</summary>
    private const double GivenBack = 0.1;

    /// <summary>Noise at one engine speed: most of it within this share of the speeds driven, at every load.</summary>
    private const double NarrowSpeeds = 0.25;

    private KnockFactor? _load;
    private List<(int First, int End, bool Heard)>? _pulls;

    public IReadOnlyList<KnockFactor> All => [Load, Heat(), Mixture(), Spark(), Speed(), Consistency()];

    private IEnumerable<int> ActiveSamples => Enumerable.Range(0, log.Active.Length).Where(i => log.Active[i]);

    /// <summary>Speed and spark ask for it as well.</summary>
    private KnockFactor Load => _load ??= ByLoad();

    private KnockFactor ByLoad()
    {
        if (log.LoadOrThrottle is not { } load)
            return Missing("load", "Neither load nor throttle was logged.");
        var (low, high) = Reach(load);
        var light = ActiveSamples.Count(i => load[i] < low + LightShare * (high - low)) / Math.Max(1.0, ActiveSamples.Count());
        var told = $"{100 * light:0} % of the retard is heard at light load";
        return high - low < 8 ? new("load", Nothing, 100 * light, "%", "The load hardly moved: it says nothing.")
            : light > OftenLight ? new("load", False, 100 * light, "%", $"{told}, where an engine does not knock.")
            : light < HardlyLight ? new("load", Real, 100 * light, "%", $"It comes with load: only {told}.")
            : new("load", Nothing, 100 * light, "%", $"{told}: neither clearly with load nor without.");
    }

    /// <summary>Where values lie while the engine runs, but for a fiftieth at either end.</summary>
    private (double Low, double High) Reach(double[] values)
    {
        var sorted = Statistics.Sorted(values.Where((_, i) => log.Runs[i]));
        return (Statistics.Quantile(sorted, 0.02), Statistics.Quantile(sorted, 0.98));
    }

    private KnockFactor Heat()
    {
        if (!log.Has("coolant") && !log.Has("intake-air"))
            return Missing("heat", "Neither coolant nor intake air temperature was logged.");
        var (coolant, air) = (log.Mean("coolant", i => log.Active[i]), log.Mean("intake-air", i => log.Active[i]));
        var figure = double.IsNaN(coolant) ? air : coolant;
        var told = string.Join(", ", new[] { Said("coolant", coolant), Said("intake air", air) }.Where(s => s.Length > 0));
        var hot = coolant > HotCoolant || air > HotAir;
        var cool = !(coolant > CoolCoolant) && !(air > CoolAir);
        return hot ? new("heat", Real, figure, "°C", $"It is hot when it comes ({told}).")
            : cool ? new("heat", False, figure, "°C", $"Nothing is hot when it comes ({told}).")
            : (OnlyWhenWarm("coolant", "coolant") ?? OnlyWhenWarm("intake-air", "intake air")) is { } warm
                ? new("heat", Real, figure, "°C", warm)
            : new("heat", Nothing, figure, "°C", $"Warm, but not out of order ({told}).");
    }

    private static string Said(string what, double celsius) => double.IsNaN(celsius) ? "" : $"{what} {celsius:0} °C";

    private KnockFactor Mixture()
    {
        if (log.Values("mixture") is not { } mixture)
            return Missing("mixture", "The mixture was not logged.");
        var middle = Statistics.Median(mixture);
        var isVolts =
            log.UnitOf("mixture").Equals("V", StringComparison.OrdinalIgnoreCase)
            || middle < 0.6 && mixture.Where(double.IsFinite).Min() < 0.4;
        var heard = Statistics.Median(ActiveSamples.Select(i => mixture[i]));
        if (isVolts)
        {
            // A narrow-band sensor swings about its middle where the control works; only what stays low is lean.
            var mean = ActiveSamples.Select(i => mixture[i]).Where(double.IsFinite).DefaultIfEmpty(double.NaN).Average();
            return mean < LeanVolts ? new("mixture", Real, mean, "V", $"The mixture stays lean while it is heard ({Number(mean)} V).")
                : mean > RichVolts ? new("mixture", False, mean, "V", $"The mixture is in order while it is heard ({Number(mean)} V).")
                : new("mixture", Nothing, mean, "V", "The mixture says nothing clear.");
        }

        var lambda = heard / (middle > 5 ? Stoichiometric : 1);
        return lambda > Lean ? new("mixture", Real, lambda, "lambda", $"The mixture is lean while it is heard (lambda {Number(lambda)}).")
            : lambda < InOrder
                ? new("mixture", False, lambda, "lambda", $"The mixture is in order while it is heard (lambda {Number(lambda)}).")
            : new("mixture", Nothing, lambda, "lambda", "The mixture is hardly lean: it says nothing clear.");
    }

    /// <summary>
    /// Knock goes when the spark is taken back; noise stays although it is far back. What goes and comes again as the spark is given
    /// back, as often as a pull lasts, has gone.
    /// </summary>
    private KnockFactor Spark()
    {
        if (!log.Has("spark"))
            return Missing("spark", "The spark angle was not logged.");
        var (longest, held) = (log.Episodes.Max(Plateau), log.Episodes.Max(Held));
        var tooLong = Load.SpeaksFor == Real ? StaysBeyondPull : StaysLong;
        return held > tooLong ? new("spark", False, held, "s", $"It stays for {held:0.#} s although the spark is far back.")
            : longest < GoneSoon ? new("spark", Real, longest, "s", $"It is gone {longest:0.#} s after the spark was taken back.")
            : new("spark", Nothing, longest, "s", "Whether taking the spark back helps is not clear.");
    }

    private double Worst((int First, int End) episode) => log.Retard[episode.First..episode.End].Where(double.IsFinite).Max();

    /// <summary>How long an episode stays within a fifth of its worst, s.</summary>
    private double Plateau((int First, int End) episode)
    {
        var worst = Worst(episode);
        var seconds = 0.0;
        for (var i = episode.First + 1; i < episode.End; i++)
            if (log.Retard[i] > 0.8 * worst)
                seconds += log.Seconds[i] - log.Seconds[i - 1];
        return seconds;
    }

    /// <summary>The longest stretch of an episode within a fifth of its worst in which nothing is given back, s.</summary>
    private double Held((int First, int End) episode)
    {
        var worst = Worst(episode);
        var (longest, since, most) = (0.0, double.NaN, 0.0);
        for (var i = episode.First; i < episode.End; i++)
        {
            var retard = log.Retard[i];
            if (double.IsNaN(retard))
                continue;
            if (double.IsNaN(since) || retard < 0.8 * worst || retard < most - GivenBack * worst)
                (since, most) = (retard < 0.8 * worst ? double.NaN : log.Seconds[i], retard);
            most = Math.Max(most, retard);
            longest = double.IsNaN(since) ? longest : Math.Max(longest, log.Seconds[i] - since);
        }

        return longest;
    }

    private KnockFactor Speed()
    {
        if (log.Values("rpm") is not { } rpm)
            return Missing("speed", "The engine speed was not logged.");
        var (slowest, fastest) = Reach(rpm);
        var heard = Statistics.Sorted(ActiveSamples.Select(i => rpm[i]));
        var reach = fastest - slowest;
        var (low, high) = (Statistics.Quantile(heard, 0.05), Statistics.Quantile(heard, 0.95));
        var middle = Statistics.Quantile(heard, 0.5);
        var inBand = Enumerable.Range(0, rpm.Length).Where(i => log.Runs[i] && rpm[i] > low && rpm[i] < high).ToList();
        var share = inBand.Count(i => log.Retard[i] > KnockLog.Counts) / Math.Max(1.0, inBand.Count);
        return reach > 500 && high - low < NarrowSpeeds * reach && share > 0.6 && Load.SpeaksFor != Real
            ? new("speed", False, middle, "rpm", $"It comes about {middle:0} rpm whatever the load: something rings there.")
            : new("speed", Nothing, middle, "rpm", $"It is heard from {low:0} to {high:0} rpm: no single speed.");
    }

    /// <summary>Never one of the two by itself: how many of the stretches at high load have it.</summary>
    private KnockFactor Consistency()
    {
        if (log.LoadOrThrottle is not { } load)
            return Missing("consistency", "Without load or throttle like situations can't be told.");
        var pulls = Pulls(load);
        var with = pulls.Count(p => p.Heard);
        double? share = pulls.Count > 0 ? 100.0 * with / pulls.Count : null;
        return new(
            "consistency",
            Nothing,
            share,
            "%",
            pulls.Count > 0 ? $"It comes in {with} of {pulls.Count} stretches at high load." : "There is no stretch at high load."
        );
    }

    /// <summary>The stretches at high load: first sample, the one behind the last, and whether it is heard there.</summary>
    private List<(int First, int End, bool Heard)> Pulls(double[] load)
    {
        if (_pulls is not null)
            return _pulls;
        var (low, high) = Reach(load);
        var pulling = load.Select((v, i) => log.Runs[i] && v > low + HighShare * (high - low)).ToArray();
        List<(int First, int End, bool Heard)> pulls = [];
        for (var i = 0; i < load.Length; i++)
            if (pulling[i] && (i == 0 || !pulling[i - 1]))
                pulls.Add((i, i + 1, log.Retard[i] > KnockLog.Counts));
            else if (pulling[i])
                pulls[^1] = (pulls[^1].First, i + 1, pulls[^1].Heard || log.Retard[i] > KnockLog.Counts);
        return _pulls = pulls;
    }

    /// <summary>What tells that it comes in the warmer pulls only, by coolant or intake air; null where nothing does.</summary>
    private string? OnlyWhenWarm(string role, string what)
    {
        if (!log.Has(role) || log.LoadOrThrottle is not { } load)
            return null;
        var pulls = Pulls(load).Where(p => log.Seconds[p.End - 1] - log.Seconds[p.First] >= PullSeconds).ToList();
        double[] Celsius(bool heard) =>
            Statistics.Sorted(pulls.Where(p => p.Heard == heard).Select(p => log.Mean(role, i => i >= p.First && i < p.End)));
        var (with, without) = (Celsius(true), Celsius(false));
        return
            with.Length < 2 || without.Length < 2 || !(with[0] > without[^1] && with[0] + with[^1] - without[0] - without[^1] > 2 * Warmer)
            ? null
            : $"It comes in the pulls at {with[0]:0} °C of {what} and above, in none at {without[^1]:0} °C and below.";
    }

    private static KnockFactor Missing(string factor, string text) => new(factor, Nothing, null, "", text);

    private static string Number(double value) => value.ToString("0.00", CultureInfo.InvariantCulture);
}
