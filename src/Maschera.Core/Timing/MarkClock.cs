using Maschera.Core.Basics;
using Maschera.Core.Engines;
using Maschera.Core.Expressions;
using Maschera.Core.Signals;

namespace Maschera.Core.Timing;

/// <summary>Angle clocks of captures without a trigger wheel: from one cylinder's sync, or from every compression.</summary>
public static class MarkClock
{
    private const int LeastMarks = 4;

    /// <summary>Swing of the speed within one firing's span, as a share: a starter's, and a running engine's.</summary>
    private const double CrankingRipple = 0.15,
        RunningRipple = 0.03;

    /// <summary>A slower engine is turned by its starter, rpm.</summary>
    private const double RunningFrom = 400;

    /// <summary>
    /// From marks that come once a cycle. 0 on the clock is a firing TDC of the first cylinder of the firing order.
    /// </summary>
    /// <param name="sync">The signal with the marks.</param>
    /// <param name="kind">What it is on: ignition, injector, cam or pressure.</param>
    /// <param name="cylinder">The cylinder it marks.</param>
    public static (AngleClock? Clock, Note? Problem) FromSync(Channel sync, string kind, int cylinder, Engine engine)
    {
        var marks = SyncEvents.Marks(sync, kind);
        if (marks.Length < LeastMarks)
            return (
                null,
                new Note(
                    "sync-silent",
                    $"'{sync.Name}' shows fewer than {LeastMarks} clear marks, and there is no crank sensor: no crank degrees. "
                        + $"Capture the crank sensor, or longer."
                )
            );
        var cycles = Cycles(marks);
        var place = engine.FiringOrder.ToList().IndexOf(cylinder);
        var first = engine.Angles()[Math.Max(0, place)] - CyclePhase.DegreesToTdc(kind, engine);
        return (
            AngleClock.FromMarks(
                marks,
                [.. cycles.Select(c => 720.0 * c + first)],
                $"the {kind} marks of cylinder {cylinder}",
                Ripple(engine, 120 * cycles[^1] / (marks[^1] - marks[0]))
            ),
            null
        );
    }

    /// <summary>
    /// From the compressions of a cranking engine, each ending at its firing TDC; 0 is that of the first place of the firing
    /// order.
    /// </summary>
    public static (AngleClock? Clock, Note? Problem) FromCompressions(IReadOnlyList<Hump> humps, Engine engine)
    {
        if (humps.Count < LeastMarks)
            return (null, new Note("few-humps", "There is no crank sensor, and too few compressions show to count degrees by."));
        var angles = engine.Angles();
        var degrees = new double[humps.Count];
        for (var i = 0; i < degrees.Length; i++)
        {
            var angle = angles[humps[i].Position - 1];
            degrees[i] = i == 0 ? angle : angle + 720 * Math.Round((Expected(humps, degrees, i, engine) - angle) / 720);
        }

        return (AngleClock.FromMarks([.. humps.Select(h => h.To)], degrees, "the compressions", Ripple(engine, 0)), null);
    }

    /// <summary>About where a hump ends, from the one before it and its own length, which is half a turn.</summary>
    private static double Expected(IReadOnlyList<Hump> humps, double[] degrees, int i, Engine engine) =>
        Math.Max(
            degrees[i - 1] + 0.5 * 720 / engine.Cylinders,
            degrees[i - 1] + 180 * (humps[i].To - humps[i - 1].To) / (humps[i].To - humps[i].From)
        );

    /// <summary>Cycles since the first mark; a lost mark leaves a longer step.</summary>
    private static int[] Cycles(double[] marks)
    {
        var steps = marks.Zip(marks.Skip(1), (a, b) => b - a).ToArray();
        var cycles = new int[marks.Length];
        for (var i = 1; i < marks.Length; i++)
        {
            var usual = Statistics.Median(steps[Math.Max(0, i - 4)..Math.Min(steps.Length, i + 4)]);
            cycles[i] = cycles[i - 1] + Math.Max(1, (int)Math.Round(steps[i - 1] / usual));
        }

        return cycles;
    }

    /// <summary>A speed that swings by a share r once a firing's span S turns the crank by r S / 2π to and fro.</summary>
    private static double Ripple(Engine engine, double rpm) =>
        (rpm < RunningFrom ? CrankingRipple : RunningRipple) * 720 / engine.Cylinders / Math.Tau / Math.Sqrt(2);
}
