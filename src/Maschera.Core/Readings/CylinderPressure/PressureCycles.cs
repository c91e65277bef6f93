using Maschera.Core.Basics;
using Maschera.Core.Engines;
using Maschera.Core.Signals;
using Maschera.Core.Timing;

namespace Maschera.Core.Readings.CylinderPressure;

/// <summary>A cylinder-pressure trace cut into cycles from tower to tower.</summary>
/// <param name="Pressure">The trace.</param>
/// <param name="Towers">The tower at the start of each cycle, and what follows the last.</param>
/// <param name="Clock">Degrees over time.</param>
/// <param name="Zero">Where on the clock the first tower peaks, degrees on 0-720.</param>
/// <param name="HasCrank">True where the clock runs on a crank sensor.</param>
/// <param name="Cycles">Every whole cycle: 720 values, one a degree, the first half a degree after the tower's peak.</param>
internal sealed record PressureCycles(
    Channel Pressure,
    IReadOnlyList<Tower> Towers,
    AngleClock Clock,
    double Zero,
    bool HasCrank,
    float[][] Cycles
)
{
    /// <summary>Fewer cycles say nothing of what is usual.</summary>
    public const int Least = 3;

    /// <summary>A tower is above half its height for less than this share of the cycle; a vacuum hose or a pump for more.</summary>
    private const double MostShare = 0.25;

    /// <summary>Odd and even towers whose courses differ by more than this share of the swing are two of one cycle.</summary>
    private const double TwoFrom = 0.03;

    /// <summary>So many standard errors of their difference are taken off before that.</summary>
    private const double ScatterErrors = 4;

    /// <summary>A peak that stands exactly still for so many degrees is cut off by the instrument.</summary>
    private const double ClippedDegrees = 5;

    /// <summary>A cylinder that fires stays above its compression, mirrored at the tower, by more than this share of the swing.</summary>
    private const double FiringFrom = 0.015;

    /// <summary>Mean over the cycles.</summary>
    public float[] Mean { get; } = [.. Enumerable.Range(0, CycleFold.Bins).Select(i => Cycles.Average(c => c[i]))];

    /// <summary>The same with so much pressure taken away everywhere.</summary>
    public PressureCycles Less(double zero) => Less([.. Enumerable.Repeat((float)zero, CycleFold.Bins)]);

    /// <summary>The same with so much pressure taken away from each of a cycle's values; peaks move as the mean's does.</summary>
    public PressureCycles Less(float[] each)
    {
        float[] From(float[] cycle) => [.. cycle.Zip(each, (v, away) => v - away)];
        var lower = Mean.Max() - From(Mean).Max();
        return new(Pressure, [.. Towers.Select(t => t with { Peak = t.Peak - lower })], Clock, Zero, HasCrank, [.. Cycles.Select(From)]);
    }

    /// <summary>Mean speed, rpm.</summary>
    public double SpeedRpm => Clock.SpeedRpm;

    /// <summary>
    /// Cuts a trace into cycles. Where a valve stays shut there are two towers a cycle, and either may be the firing one:
    /// then both ways are given.
    /// </summary>
    /// <param name="pressure">The trace.</param>
    /// <param name="crank">A clock from the crank sensor of the same capture; null without one.</param>
    /// <returns>The possible cycles, or none with the reason.</returns>
    public static (IReadOnlyList<PressureCycles> Ways, Note? Problem) Find(Channel pressure, AngleClock? crank)
    {
        var towers = Timing.Towers.Find(pressure);
        if (towers.Count < 2)
            return (
                [],
                new Note(
                    "no-towers",
                    $"'{pressure.Name}' shows no compression towers: this is no pressure from a spark-plug hole, or the engine did "
                        + $"not turn. Screw the transducer into the cylinder, and capture while it cranks or runs."
                )
            );
        var period = Statistics.Median(towers.Zip(towers.Skip(1), (a, b) => b.Seconds - a.Seconds));
        if (towers[0].Width > MostShare * period)
            return (
                [],
                new Note(
                    "no-towers",
                    $"'{pressure.Name}' swings to and fro like a vacuum or exhaust trace, without the narrow compression towers of a "
                        + $"cylinder. For a hose or pipe make the 'pulses' reading; for the cylinder, use its spark-plug hole."
                )
            );
        var regular = towers
            .Zip(towers.Skip(1), (a, b) => (b.Seconds - a.Seconds) / period)
            .Count(step => Math.Abs(step - Math.Round(step)) < 0.2 && step > 0.5);
        if (regular < 0.7 * (towers.Count - 1))
            return (
                [],
                new Note(
                    "uneven-towers",
                    $"The towers of '{pressure.Name}' come at no steady interval. See that the engine turned throughout and at a "
                        + $"steady speed, check the hose and its seal, and capture again."
                )
            );
        if (towers.Count <= Least)
            return ([], new Note("few-cycles", $"Only {towers.Count - 1} whole cycles: capture at least {Least}, better ten."));
        if (IsClipped(pressure, towers, period) is { } clipped)
            return ([], clipped);
        if (Cut(pressure, towers, crank) is not { } single)
            return ([], new Note("few-cycles", $"Fewer than {Least} whole cycles while the crank sensor shows degrees: capture longer."));
        if (!single.AreTwo())
            return ([single], single.Firing());
        var ways = Enumerable
            .Range(0, 2)
            .Select(odd => Cut(pressure, [.. towers.Where((_, i) => i % 2 == odd)], crank))
            .OfType<PressureCycles>()
            .ToList();
        return ways.Count == 2
            ? (ways, null)
            : ([], new Note("few-cycles", $"Only {towers.Count / 2 - 1} whole cycles: capture at least {Least}, better ten."));
    }

    private static PressureCycles? Cut(Channel pressure, List<Tower> towers, AngleClock? crank)
    {
        if (towers.Count <= Least)
            return null;
        var onCrank = crank is null
            ? []
            : towers.Select(t => crank.At(t.Seconds)).Where(d => d >= crank.Degrees[0] && d <= crank.Degrees[^1]).ToArray();
        // Towers that scatter on the crank's clock are not those of a whole cycle: then the trace goes alone.
        var (mean, spread) = onCrank.Length > Least ? Statistics.Circular(onCrank, 720) : (0, 720);
        var clock =
            spread < 8 ? crank! : AngleClock.FromMarks([.. towers.Select(t => t.Seconds)], Counted(towers), "compression towers", 0);
        var zero = spread < 8 ? mean : 0;
        var first = (int)Math.Ceiling((clock.Degrees[0] - zero) / CycleFold.Bins - 1e-9);
        var count = (int)Math.Floor((clock.Degrees[^1] - zero) / CycleFold.Bins + 1e-9) - first;
        if (count < Least)
            return null;
        var cycles = CycleFold.Whole(pressure, clock, zero + first * (double)CycleFold.Bins, count);
        return cycles.Length < Least ? null : new PressureCycles(pressure, towers, clock, zero, spread < 8, cycles);
    }

    /// <summary>Degrees of the towers; one that was lost leaves a longer step.</summary>
    private static double[] Counted(List<Tower> towers)
    {
        var period = Statistics.Median(towers.Zip(towers.Skip(1), (a, b) => b.Seconds - a.Seconds));
        var degrees = new double[towers.Count];
        for (var i = 1; i < degrees.Length; i++)
            degrees[i] = degrees[i - 1] + CycleFold.Bins * Math.Max(1, Math.Round((towers[i].Seconds - towers[i - 1].Seconds) / period));
        return degrees;
    }

    /// <summary>True where every second cycle runs otherwise: towers of both turns.</summary>
    private bool AreTwo()
    {
        if (
            Cycles.Length < 2 * Least
            || HasCrank && Clock.Wheel.HasMark && Towers.Count > 1 && Clock.At(Towers[1].Seconds) - Clock.At(Towers[0].Seconds) > 540
        )
            return false;
        // Away from the towers, where a swing in height makes no difference yet, and by more than single cycles differ.
        var apart = Enumerable.Range(30, CycleFold.Bins - 60).Max(Apart);
        return apart > TwoFrom * (Mean.Max() - Mean.Min());

        double Apart(int bin)
        {
            var (even, odd) = (Of(0), Of(1));
            return Math.Abs(even.Mean - odd.Mean) - ScatterErrors * double.Hypot(even.Error, odd.Error);

            (double Mean, double Error) Of(int parity)
            {
                double[] values = [.. Cycles.Where((_, n) => n % 2 == parity).Select(c => (double)c[bin])];
                return (values.Average(), Statistics.StandardDeviation(values) / Math.Sqrt(values.Length));
            }
        }
    }

    private Note? Firing()
    {
        double Level(int from, int to) => Mean[from..to].Average();
        var swing = Mean.Max() - Mean.Min();
        return Level(90, 120) - Level(CycleFold.Bins - 120, CycleFold.Bins - 90) > FiringFrom * swing
            ? new Note(
                "fires",
                $"This cylinder fires: after the tower its pressure stays far above that of the compression. Take its plug out and "
                    + $"its fuel away, put the transducer in the plug's hole, and capture again."
            )
            : null;
    }

    private static Note? IsClipped(Channel pressure, List<Tower> towers, double period)
    {
        var highest = pressure.Samples.Where(float.IsFinite).Max();
        var limit = Math.Max(3, ClippedDegrees / 720 * period / pressure.Time.Step);
        var flat = 0;
        foreach (var tower in towers)
        {
            var at = pressure.Time.IndexAtOrAfter(tower.Seconds - 0.03 * period);
            var end = pressure.Time.IndexAtOrAfter(tower.Seconds + 0.03 * period);
            var (run, longest) = (0, 0);
            for (; at < end; at++)
                longest = Math.Max(longest, run = pressure.Samples[at] >= highest || !float.IsFinite(pressure.Samples[at]) ? run + 1 : 0);
            if (longest > limit)
                flat++;
        }

        return flat > towers.Count / 2
            ? new Note(
                "clipped",
                $"The towers are cut off flat at {highest:0.##} {pressure.Unit}: the instrument's range is too small. Choose a "
                    + $"larger range and capture again."
            )
            : null;
    }
}
