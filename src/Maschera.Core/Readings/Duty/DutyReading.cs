using System.Text.Json;
using System.Text.Json.Serialization;
using System.Text.Json.Serialization.Metadata;
using Maschera.Core.Basics;
using Maschera.Core.Expressions;
using Maschera.Core.Signals;

namespace Maschera.Core.Readings.Duty;

/// <summary>A stretch in which a pulse train stands still.</summary>
public readonly record struct Dropout(double From, double To);

/// <summary>Duty cycle and frequency of a pulse train.</summary>
public sealed record DutyResult : ReadingResult
{
    public double? FrequencyHz { get; init; }
    public double? DutyPercent { get; init; }
    public double? DutySpreadPercent { get; init; }
    public double? HighVolts { get; init; }
    public double? LowVolts { get; init; }
    public int Pulses { get; init; }
    public IReadOnlyList<Dropout> Dropouts { get; init; } = [];
}

/// <summary>How it is written as JSON, worked out when building.</summary>
[JsonSourceGenerationOptions(JsonSerializerDefaults.Web)]
[JsonSerializable(typeof(DutyResult))]
internal sealed partial class DutyJson : JsonSerializerContext;

/// <summary>Duty cycle and frequency of any pulse train, without its dropouts.</summary>
public sealed class DutyReading : ReadingOf<DutyResult>
{
    private const int LeastPeriods = 3;

    /// <summary>A period this many times the usual one is a dropout.</summary>
    private const double DropoutPeriods = 2.5;

    /// <summary>Duty in points and frequency as a share that must move, clear of the scatter, to be called moving.</summary>
    private const double MovingDuty = 2,
        MovingFrequency = 0.02;

    /// <summary>A doubt of the duty from so many points on is said.</summary>
    private const double WorthSaying = 0.2;

    /// <summary>Pulses that nearly keep step with the sampling gain or lose a sample for many periods at once.</summary>
    private const double InStep = 1.5;

    /// <summary>Periods of which a mean is taken where there are a few, so that one edge does not make it.</summary>
    private const int FewPeriods = 3;

    public override string Method =>
        "Edges where the signal crosses half way between its two rails, between samples by interpolation and, where the train is "
        + "steady, by the one rhythm that fits all edges.\n"
        + "Duty is the share of time above, over whole periods; periods over 2.5 times the usual are dropouts and count for neither "
        + "duty nor frequency.";

    public override JsonTypeInfo ResultJson => DutyJson.Default.DutyResult;
    public override string Kind => "duty";
    public override string Title => "Duty cycle";

    public override JobStep Step => JobStep.Circuit;
    public override IReadOnlyList<Verdict> Verdicts { get; } =
    [new("steady", Tone.Fine, "steady"), new("varies", Tone.Watch, "varies"), Verdict.Unusable];

    public override IReadOnlyList<Role> Roles { get; } =
    [new("signal", "Pulse train", ["V", "mV"], ["signal", "pwm", "duty", "pulse", "control"])];

    protected override DutyResult Make(ReadingRequest request, CancellationToken cancel)
    {
        var channels = RoleResolver.Resolve(this, request);
        if (!channels.TryGetValue("signal", out var signal))
            return Unusable(channels, "no-signal", "No channel looks like a pulse train. Say which with --channel signal=COLUMN.");
        if (signal.Samples.Length < 8)
            return Unusable(channels, "too-short", "Fewer than eight samples: capture a second or more.");
        var kicking = TrainLevels.OfKicking(signal.Samples);
        var rails = kicking?.Rails ?? PulseTrain.FindRails(signal.Samples);
        // On the way to a kick's top the middle is passed much sooner than on the way to the level.
        if (kicking is not null)
            signal = signal with { Samples = Array.ConvertAll(signal.Samples, v => Math.Clamp(v, (float)rails.Low, (float)rails.High)) };
        if (!IsTwoLevel(signal.Samples, rails))
            return Unusable(
                channels,
                "no-pulses",
                "The signal does not switch between two levels. Check that the circuit is powered and the probe is on the control wire."
            );
        var (edges, spikes) = WithoutSpikes(PulseTrain.FindEdges(signal, rails), signal.Time.Step);
        var periods = Periods(edges, out var stand);
        if (periods.Count < LeastPeriods)
            return Unusable(
                channels,
                "few-pulses",
                $"Only {periods.Count} whole periods: capture at least three, better a second or more."
            );
        cancel.ThrowIfCancellationRequested();
        var result = Build(channels, signal, rails, periods, stand, SteadyTrain.Fit(signal, rails, edges));
        return result with { Notes = [.. result.Notes, .. Beside(signal, kicking?.Kick, spikes)] };
    }

    private static IEnumerable<Note> Beside(Channel signal, double? kick, int spikes)
    {
        if (kick is { } volts)
            yield return new(
                "kick",
                $"At its edges the signal goes {volts:0} {signal.Unit} beyond its levels: a coil that is switched off. Duty is counted "
                    + "between the levels at which it dwells."
            );
        if (spikes > 0)
            yield return new(
                "spikes",
                $"{spikes} single sample{(spikes == 1 ? " is" : "s are")} off among long pulses: taken for interference and left out."
            );
    }

    /// <summary>
    /// The edges without those of single samples, where pulses of both kinds are long and such samples few: a train's own pulses come
    /// again and again.
    /// </summary>
    private static (List<Edge> Edges, int Spikes) WithoutSpikes(List<Edge> edges, double step)
    {
        const double single = 1.6,
            usual = 4,
            few = 0.2;
        var widths = edges.Zip(edges.Skip(1), (a, b) => (a.Rising, Seconds: b.Seconds - a.Seconds)).ToList();
        var singles = widths.Count(w => w.Seconds < single * step);
        if (singles == 0 || singles > few * widths.Count || widths.GroupBy(w => w.Rising).Any(IsShort))
            return (edges, 0);
        List<Edge> kept = [];
        foreach (var edge in edges)
            if (kept.Count > 0 && edge.Seconds - kept[^1].Seconds < single * step)
                kept.RemoveAt(kept.Count - 1);
            else
                kept.Add(edge);
        return (kept, singles);

        bool IsShort(IEnumerable<(bool Rising, double Seconds)> own) => Statistics.Median(own.Select(w => w.Seconds)) < usual * step;
    }

    /// <summary>One whole period between like edges, with the other edge in its middle; seconds.</summary>
    private readonly record struct Period(double From, double Middle, double To, bool StartsHigh)
    {
        public double Length => To - From;

        public double High => StartsHigh ? Middle - From : To - Middle;

        public double Duty => 100 * High / Length;
    }

    /// <summary>Periods between like edges, rising ones or falling ones, whichever gives more.</summary>
    private static List<Period> Periods(List<Edge> edges, out (double First, double Last) stand)
    {
        stand = edges.Count == 0 ? (double.NaN, double.NaN) : (edges[0].Seconds, edges[^1].Seconds);
        var periods = new List<Period>();
        var start = edges.Count > 0 && (edges.Count % 2 == 1 || edges[0].Rising) ? 0 : 1;
        for (var i = start; i + 2 < edges.Count; i += 2)
            periods.Add(new Period(edges[i].Seconds, edges[i + 1].Seconds, edges[i + 2].Seconds, edges[i].Rising));

        return periods;
    }

    /// <summary>Rails count as two where their distance stands well clear of the scatter round each.</summary>
    private static bool IsTwoLevel(float[] samples, Rails rails)
    {
        if (!(rails.Swing > 0))
            return false;
        double scatter = 0;
        var counted = 0;
        var stride = Math.Max(1, samples.Length / 100_000);
        for (var i = 0; i < samples.Length; i += stride)
        {
            if (!float.IsFinite(samples[i]))
                continue;
            var value = Math.Clamp(samples[i], rails.Low - rails.Swing / 2, rails.High + rails.Swing / 2);
            scatter += Math.Min(Math.Abs(value - rails.Low), Math.Abs(value - rails.High));
            counted++;
        }

        return scatter / counted < 0.17 * rails.Swing && rails.Swing > 1e-3;
    }

    private static DutyResult Build(
        Dictionary<string, Channel> channels,
        Channel signal,
        Rails rails,
        List<Period> all,
        (double First, double Last) stand,
        SteadyTrain? train
    )
    {
        var usual = Statistics.Median(all.Select(p => p.Length));
        var kept = Whole(all, usual);
        var dropouts = Dropouts(all, usual, signal, stand);
        var time = kept.Sum(p => p.Length);
        var duty = 100 * kept.Sum(p => p.High) / time;
        var frequency = kept.Count / time;
        var spread = Statistics.StandardDeviation([.. kept.Select(p => p.Duty)]);
        var sample = signal.Time.Step / usual;
        var varies =
            Moves(kept.Select(p => p.Duty), MovingDuty, 100 * sample)
            || Moves(kept.Select(p => p.Length), MovingFrequency * usual, signal.Time.Step);
        List<Note> notes = [];
        if (train is { } line && !varies && dropouts.Count == 0)
        {
            (duty, frequency) = (line.DutyPercent, 1 / line.Period);
            if (line.Doubt > WorthSaying)
                notes.Add(
                    new(
                        "in-step",
                        $"The pulses keep step with the sampling, every edge falls at the same place between two samples: the duty "
                            + $"is known to ± {line.Doubt:0.0} points. Sample at another rate."
                    )
                );
        }

        var perPeriod = usual / signal.Time.Step;
        if (perPeriod < 20)
            notes.Add(
                new(
                    "coarse",
                    $"Only {perPeriod:0.#} samples a period: a single duty is known to about {100 / perPeriod:0} points only, their "
                        + $"mean better. Sample faster."
                )
            );
        if (dropouts.Count > 0)
            notes.Add(
                new(
                    "dropouts",
                    $"The pulses stop {(dropouts.Count == 1 ? "once" : $"{dropouts.Count} times")}; what stands still "
                        + "and the periods cut by it are left out of duty and frequency."
                )
            );
        return new DutyResult
        {
            Verdict = varies ? "varies" : "steady",
            Sentence = Sentence(duty, frequency, varies, kept, dropouts.Count),
            Notes = notes,
            Channels = RoleResolver.Names(channels),
            Span = new Stretch(all[0].From, all[^1].To),
            FrequencyHz = frequency,
            DutyPercent = duty,
            DutySpreadPercent = spread,
            HighVolts = rails.High,
            LowVolts = rails.Low,
            Pulses = kept.Count,
            Dropouts = dropouts,
        };
    }

    /// <summary>Periods that are whole: not dropouts, nor cut by one before or behind them where others are left.</summary>
    private static List<Period> Whole(List<Period> all, double usual)
    {
        bool Lasts(int i) => i >= 0 && i < all.Count && all[i].Length > DropoutPeriods * usual;
        var whole = all.Where((p, i) => !Lasts(i) && !Lasts(i - 1) && !Lasts(i + 1)).ToList();
        return whole.Count >= LeastPeriods ? whole : [.. all.Where((p, i) => !Lasts(i))];
    }

    /// <summary>Long periods, and a standstill before the first edge or after the last one.</summary>
    private static List<Dropout> Dropouts(List<Period> periods, double usual, Channel signal, (double First, double Last) stand)
    {
        var found = new List<Dropout>();
        if (stand.First - signal.Time.Start > DropoutPeriods * usual)
            found.Add(new(signal.Time.Start, stand.First));
        foreach (var period in periods)
        {
            if (period.Length <= DropoutPeriods * usual)
                continue;
            // The pulse stands in the longer of its two halves.
            found.Add(
                period.Middle - period.From > period.To - period.Middle ? new(period.From, period.Middle) : new(period.Middle, period.To)
            );
        }

        if (signal.Time.End - stand.Last > DropoutPeriods * usual)
            found.Add(new(stand.Last, signal.Time.End));
        return found;
    }

    /// <summary>
    /// True where means over twentieths of the capture differ by more than <paramref name="limit"/>, than their own scatter explains
    /// and than <paramref name="sample"/> does: what one sample more or less makes of a single value.
    /// </summary>
    private static bool Moves(IEnumerable<double> values, double limit, double sample)
    {
        var all = values.ToArray();
        var size = Math.Max(all.Length >= 4 * FewPeriods ? FewPeriods : 1, all.Length / 20);
        var means = all.Chunk(size).Where(c => c.Length == size).Select(c => c.Average()).ToArray();
        var within = all.Chunk(size)
            .Where(c => c.Length == size && size > 1)
            .Select(c => Statistics.StandardDeviation(c) / Math.Sqrt(size))
            .DefaultIfEmpty(0)
            .Average();
        return means.Max() - means.Min() > Math.Max(limit, Math.Max(6 * within, InStep * sample));
    }

    private static string Sentence(double duty, double frequency, bool varies, List<Period> kept, int dropouts)
    {
        var text = varies
            ? $"The duty cycle moves between {kept.Min(p => p.Duty):0.0} and {kept.Max(p => p.Duty):0.0} %, on average {duty:0.0} % "
                + $"at {frequency:0.0} Hz"
            : $"A steady {duty:0.0} % duty cycle at {frequency:0.0} Hz";
        return text + (dropouts == 0 ? "." : $", with {dropouts} dropout{(dropouts == 1 ? "" : "s")}.");
    }

    private static DutyResult Unusable(Dictionary<string, Channel> channels, string code, string text) =>
        Unusable(channels, new Note(code, text));
}
