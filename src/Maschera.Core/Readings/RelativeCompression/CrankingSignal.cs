using Maschera.Core.Basics;
using Maschera.Core.Engines;
using Maschera.Core.Signals;
using Maschera.Core.Timing;

namespace Maschera.Core.Readings.RelativeCompression;

/// <summary>
/// A signal that follows the load on the starter, at an even rate: the starter's current, the fall of the battery
/// voltage (the same current through the battery's resistance), or how far the crank falls behind its mean speed, told by its
/// wheel or by the whine of the starter.
/// A starter motor's speed falls in a straight line with its current (Hughes, Electric Motors and Drives, ch. 3), so
/// each of them tells both load and speed.
/// </summary>
/// <param name="Load">The load, in the channel's unit, zero where the starter rests.</param>
/// <param name="First">First sample of cranking.</param>
/// <param name="End">Sample after the last one of cranking.</param>
/// <param name="Stall">The load at standstill, where the inrush was seen; the speed is zero there.</param>
/// <param name="Doubts">What the signal itself gives to doubt.</param>
internal sealed record CrankingSignal(Channel Load, int First, int End, StallLoad Stall, IReadOnlyList<Note> Doubts)
{
    /// <summary>The step the load is brought to, s: 2° of crank at 330 rpm.</summary>
    public const double Step = 0.001;

    /// <summary>True where the load is the speed's own fall, so that no load is too small to tell.</summary>
    public bool IsSpeed { get; private init; }

    /// <summary>
    /// The samples over a gap of the wheel: of each such stretch only the mean is measured. Empty where there is no wheel.
    /// </summary>
    public bool[] IsMeanOnly { get; private init; } = [];

    /// <summary>
    /// Share of what every second cycle differs by from the others that is noise: all of it by ear, where it is hiss; the steps of a wheel
    /// and of a converter differ from cycle to cycle too, and are evened out by the teeth beside them.
    /// </summary>
    public double NoiseShare { get; private init; } = 0.5;

    /// <summary>True where the wheel was not told, so that a gap may have been taken for wider or narrower than it is.</summary>
    public bool IsWheelGuessed { get; private init; }

    /// <summary>True where a wheel that is known tells how fast the crank turns, and with it how long a cycle lasts.</summary>
    public bool TellsSpeed => Load.Unit == Rpm && !IsWheelGuessed;

    private const string Rpm = "rpm";

    /// <summary>What is said of the wheel here too; that it has no gap matters to angles alone.</summary>
    private static readonly string[] s_wheelDoubts = ["wheel-differs", "wheel-guessed", "lost-edges", "extra-edges"];

    /// <summary>Mean speed from one sample to another, rpm, where the load is what is missing to the mean speed.</summary>
    public double MeanRpm(int first, int end) => Stall.Load - Statistics.Mean(Load.Samples.AsSpan(first, end - first));

    /// <summary>Share of the working load above which the starter is taken to turn the engine.</summary>
    private const double OnShare = 0.15;

    /// <summary>
    /// The inrush and the spin-up are over after so long, s; so long behind them is looked at; and less than this share of the whole
    /// capture's level is rest.
    /// </summary>
    private const double InrushSeconds = 0.5,
        TurningSeconds = 1.5,
        AtRest = 0.04;

    /// <summary>
    /// The starter turns the engine where the speed comes back above this share of the usual one within a compression, s: before and
    /// behind it runs up and down.
    /// </summary>
    private const double TurningShare = 0.85,
        Compression = 0.35;

    /// <summary>From the starter's current in A, either sign of clamp.</summary>
    public static CrankingSignal? FromCurrent(Channel current)
    {
        var load = Resampling.ToStep(current, Step);
        if (Statistics.Quantile(load.Samples, 0.99) < -Statistics.Quantile(load.Samples, 0.01))
            load = load.Scaled(-1);
        return FromLoad(
            load,
            current,
            "clamp-offset",
            "The clamp read {0:0.#} A before cranking: its zero was off and has been taken away."
        );
    }

    /// <summary>From the battery's voltage.</summary>
    public static CrankingSignal? FromBattery(Channel battery)
    {
        var load = Resampling.ToStep(battery, Step).Scaled(-1);
        var rest = Statistics.Quantile(load.Samples, 0.001);
        for (var i = 0; i < load.Samples.Length; i++)
            load.Samples[i] -= (float)rest;
        return FromLoad(load, battery, null, "");
    }

    /// <summary>From a trigger wheel: the load is the speed missing to the mean, in rpm.</summary>
    public static CrankingSignal? FromCrank(Channel crank, Engine engine)
    {
        if (AngleClock.Make(crank, engine).Clock is not { } clock)
            return null;
        var (speed, gaps) = ToothSpeed.Of(clock);
        var rpm = Resampling.ToStep(speed, Step);
        var moving = Runs.Longest(rpm.Samples, value => value is > 40 and < 600, (int)(0.1 / Step));
        if (moving.Length < 0.5 / Step)
            return null;
        var turning = Driven(rpm.Samples, moving.First, moving.End);
        var mean = Statistics.Mean([.. rpm.Samples[turning.First..turning.End].Select(v => (double)v)]);
        var load = rpm with { Samples = Array.ConvertAll(rpm.Samples, value => (float)(mean - value)), Unit = Rpm };
        Note[] doubts = [.. clock.Notes.Where(n => s_wheelDoubts.Contains(n.Code))];
        return new CrankingSignal(load, turning.First, turning.End, new StallLoad(mean, StallLoad.Measured), doubts)
        {
            IsSpeed = true,
            IsWheelGuessed = engine.CrankWheel is null || doubts.Any(n => n.Code == "wheel-differs"),
            IsMeanOnly = Within(gaps, load),
        };
    }

    private static bool[] Within(List<(double From, double To)> gaps, Channel load)
    {
        var within = new bool[load.Samples.Length];
        foreach (var (from, to) in gaps)
        {
            var first = (int)Math.Ceiling((from - load.Time.Start) / Step);
            var end = Math.Min(within.Length, (int)((to - load.Time.Start) / Step) + 1);
            for (var i = Math.Max(0, first); i < end; i++)
                within[i] = true;
        }

        return within;
    }

    /// <summary>From the sound of cranking: the load is the speed missing to the mean, in percent of that.</summary>
    public static CrankingSignal? FromSound(Channel sound)
    {
        if (StarterWhine.Course(sound, Step) is not { } whine)
            return null;
        var turning = Driven(whine.Samples, 0, whine.Samples.Length);
        var mean = Statistics.Median(whine.Samples[turning.First..turning.End].Select(f => (double)f));
        var load = whine with { Samples = Array.ConvertAll(whine.Samples, f => (float)(100 * (1 - f / mean))), Unit = "%" };
        return new CrankingSignal(load, turning.First, turning.End, new StallLoad(100, StallLoad.Measured), [])
        {
            IsSpeed = true,
            NoiseShare = 1,
        };
    }

    /// <summary>Of a speed the stretch in which the starter drives it.</summary>
    private static (int First, int End) Driven(float[] speed, int first, int end)
    {
        var moving = speed[first..end];
        var usual = Statistics.Median(moving.Select(v => (double)v));
        var (from, to, _) = Runs.Longest(moving, v => v > TurningShare * usual, (int)(Compression / Step));
        return (first + from, first + to);
    }

    private static CrankingSignal? FromLoad(Channel load, Channel original, string? offsetCode, string offsetText)
    {
        var samples = load.Samples;
        var working = WorkingLevel(samples);
        var smooth = Resampling.Smooth(samples, (int)(0.01 / Step));
        var on = Runs.Longest(smooth, value => value > OnShare * working, (int)(0.3 / Step));
        if (on.Length < 0.3 / Step || !(working > 0) || samples.AsSpan(on.First, on.Length).IndexOfAnyExcept(samples[on.First]) < 0)
            return null;
        var doubts = new List<Note>();
        if (offsetCode is not null && on.First > 0.1 / Step)
        {
            var offset = Statistics.Quantile(samples.AsSpan(0, on.First - (int)(0.02 / Step)), 0.5);
            if (Math.Abs(offset) > 0.02 * working)
                doubts.Add(new Note(offsetCode, string.Format(System.Globalization.CultureInfo.InvariantCulture, offsetText, offset)));
            for (var i = 0; i < samples.Length; i++)
                samples[i] -= (float)offset;
        }

        return new CrankingSignal(load, on.First, on.End, StallLoad.FromInrush(original, smooth, on.First), doubts);
    }

    /// <summary>
    /// The upper part of the load while the engine turns: well above rest also where most of the capture is rest, and not that of the
    /// inrush, which may be ten times as much.
    /// </summary>
    private static double WorkingLevel(float[] samples)
    {
        var all = UpperPart(samples);
        var peak = Array.IndexOf(samples, samples.Max());
        var from = Math.Min(samples.Length, peak + (int)(InrushSeconds / Step));
        var after = samples[from..Math.Min(samples.Length, from + (int)(TurningSeconds / Step))];
        var turning = after.Length * Step < TurningSeconds ? all : UpperPart(after);
        return turning > AtRest * all ? Math.Min(all, turning) : all;
    }

    private static double UpperPart(float[] samples)
    {
        var top = Statistics.Quantile(samples, 0.995);
        return Statistics.Median(samples.Where(v => v > 0.25 * top).Select(v => (double)v));
    }
}

/// <summary>The load at which the starter would stand still, and how surely it is known.</summary>
/// <param name="Load">In the unit of the load; NaN where the inrush was not captured.</param>
/// <param name="Doubt">Standard deviation of the swing in speed that follows from it, as a share.</param>
internal readonly record struct StallLoad(double Load, double Doubt)
{
    public const double Measured = 0.03;
    private const double Seen = 0.1;
    private const double Clipped = 0.2;

    /// <summary>From the largest load in the first quarter second: the inrush into a motor at rest.</summary>
    public static StallLoad FromInrush(Channel original, float[] load, int first)
    {
        if (first * CrankingSignal.Step < 0.02)
            return new StallLoad(double.NaN, Clipped);
        var inrush = load.AsSpan(first, Math.Min((int)(0.25 / CrankingSignal.Step), load.Length - first));
        var peak = inrush[0];
        foreach (var value in inrush)
            peak = Math.Max(peak, value);
        return new StallLoad(peak, Clipping.LongestFlat(original) > 8 ? Clipped : Seen);
    }
}

/// <summary>Finds where a converter or clamp ran out of range.</summary>
internal static class Clipping
{
    /// <summary>The longest run of samples on the very same extreme value, in samples.</summary>
    public static int LongestFlat(Channel channel)
    {
        var samples = channel.Samples;
        float top = float.MinValue,
            bottom = float.MaxValue;
        foreach (var value in samples)
        {
            if (!float.IsFinite(value))
                continue;
            top = Math.Max(top, value);
            bottom = Math.Min(bottom, value);
        }

        return Math.Max(Longest(samples, top), Longest(samples, bottom));
    }

    private static int Longest(float[] samples, float level)
    {
        int best = 0,
            run = 0;
        foreach (var value in samples)
        {
            run = value == level ? run + 1 : 0;
            best = Math.Max(best, run);
        }

        return best;
    }
}
