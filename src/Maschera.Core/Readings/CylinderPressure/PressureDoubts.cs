using Maschera.Core.Basics;
using Maschera.Core.Engines;
using Maschera.Core.Signals;
using Maschera.Core.Timing;

namespace Maschera.Core.Readings.CylinderPressure;

/// <summary>TDC and sparks by the pressure, and what there is to doubt.</summary>
internal static class PressureDoubts
{
    /// <summary>A TDC further from the engine file's is remarked on, degrees.</summary>
    private const double GapOff = 3;

    private const int FewCycles = 8;

    /// <summary>A zero of the sensor that is further from the air's pressure is remarked on, bar.</summary>
    private const double ZeroOff = 0.12;

    /// <summary>Exhaust level that wanders by more within the capture is a drifting sensor, bar.</summary>
    private const double Drifts = 0.06;

    /// <summary>
    /// A known-good's valves may come so far off the engine file's timing by how valves and ports flow, which is guessed, degrees; the
    /// intake's further, for the manifold swings.
    /// </summary>
    private const double ExhaustOffFile = 10,
        IntakeOffFile = 14;

    /// <summary>
    /// Says where a known-good and the engine file's valve timing can't both be right, if its computed cylinder is like it.
    /// </summary>
    public static void AddOffFile(GasFit reference, Engine engine, List<Note> notes)
    {
        if (engine.ValveTiming is null || reference.Misfit >= CylinderChoice.Unlike / 2)
            return;
        bool IsOff(double shift, FitError error, double most) => Math.Abs(shift) > most + 2 * error.Whole;
        string Said(string valve, double shift) => $"{valve} valve {Math.Abs(shift):0}° {(shift > 0 ? "later" : "earlier")}";
        List<string> off = [];
        if (IsOff(reference.State.ExhaustShift, reference.ExhaustError, ExhaustOffFile))
            off.Add(Said("exhaust", reference.State.ExhaustShift));
        if (IsOff(reference.State.IntakeShift, reference.IntakeError, IntakeOffFile))
            off.Add(Said("intake", reference.State.IntakeShift));
        if (off.Count > 0)
            notes.Add(
                new(
                    "known-good-off-file",
                    $"The known-good has its {string.Join(" and its ", off)} than the engine file's valve timing: either the file is of "
                        + "another engine, or the known-good is none. Without a crank sensor shifts lean on the file; mend the one or "
                        + "the other."
                )
            );
    }

    /// <summary>
    /// Where the pressure puts firing TDC of the first cylinder of the firing order, degrees after the first tooth behind
    /// the gap, 0-360; null where it can't be told.
    /// </summary>
    public static double? GapToTdc(PressureCycles cycles, GasFit own, Engine engine, int? cylinder, List<Note> notes)
    {
        if (!cycles.HasCrank || !cycles.Clock.Wheel.HasMark)
            return null;
        var place = engine.FiringOrder.ToList().IndexOf(cylinder ?? engine.FiringOrder[0]);
        if (cylinder is null && engine.Angles().Any(a => Math.Abs(Math.IEEERemainder(a, 360)) > 1))
            return null;
        var gap = ((cycles.Zero + own.Lead - engine.Angles()[place]) % 360 + 360) % 360;
        if (engine.CrankWheel?.GapToTdc is { } file && Math.Abs(Math.IEEERemainder(gap - file, 360)) > GapOff)
            notes.Add(
                new(
                    "gap-to-tdc",
                    $"By the pressure, firing TDC of cylinder {engine.FiringOrder[0]} falls {gap:0.0}° after the first tooth "
                        + $"behind the gap; the engine file says {file:0.#}°. Either the file is wrong, or wheel or crank hub "
                        + $"has turned."
                )
            );
        return gap;
    }

    public static IgnitionAdvance? Advance(Channel ignition, PressureCycles cycles, GasFit own, List<Note> notes)
    {
        var sparks = SyncEvents
            .Find(ignition, 0.25 * 120 / cycles.SpeedRpm)
            .Select(e => e.Peak)
            .Where(t => t >= cycles.Towers[0].Seconds && t <= cycles.Towers[^1].Seconds);
        var all = sparks.Select(t => Math.IEEERemainder(cycles.Zero + own.Lead - cycles.Clock.At(t), 720)).ToList();
        // A wasted spark comes round the gas-exchange TDC as well.
        var firing = all.Where(a => Math.Abs(a) < 90).ToArray();
        if (firing.Length < PressureCycles.Least)
            return null;
        var spread = Statistics.StandardDeviation(firing);
        if (spread > 15)
            notes.Add(
                new(
                    "ignition-scatters",
                    $"The sparks scatter by {spread:0}° against TDC: " + $"check that the probe is on this cylinder's coil."
                )
            );
        return new IgnitionAdvance(Statistics.Mean(firing), spread, firing);
    }

    public static void Add(PressureCycles cycles, float[][] courses, GasFit own, GasFit? reference, bool running, List<Note> notes)
    {
        if (cycles.Cycles.Length < FewCycles)
            notes.Add(new("few-cycles", $"Only {cycles.Cycles.Length} whole cycles: ten or more show a valve that sticks now and then."));
        if (Math.Abs(own.Vacuum - 1) > ZeroOff)
            notes.Add(
                new(
                    "zero-off",
                    $"By the tower's flanks the sensor reads {1 - own.Vacuum:+0.00;-0.00} bar in free air, or its scale is wrong "
                        + $"by some percent; levels carry that error, verdict and shifts do not."
                )
            );
        if (own.Misfit > CylinderChoice.Unlike / 2)
            notes.Add(
                new(
                    "misfit",
                    $"The computed cylinder leaves {own.Misfit:0.0} times the usual error: figures are less sure than their "
                        + $"spread says."
                )
            );
        if (own.Hose is { } hose)
            notes.Add(
                new(
                    "hose-rings",
                    $"The trace rings at {hose.Hertz:0} Hz, as the gas in a transducer's hose does. What that adds is worked out and taken "
                        + "away, from the course and the peaks too. A shorter hose, or idle speed, needs less of it."
                )
            );
        if (!cycles.HasCrank)
            notes.Add(
                new(
                    "no-crank",
                    "Between the towers the swing of the speed is only worked out, not measured: a crank sensor on another channel "
                        + "makes the degrees sure."
                )
            );
        if (!running && !cycles.HasCrank)
            notes.Add(
                new(
                    "cranking-swing",
                    "While cranking without a crank sensor the intake's shift comes out up to a third too small: capture the crank "
                        + "sensor too, or the running engine."
                )
            );
        if (!running && reference is null)
            notes.Add(
                new(
                    "cranking",
                    "While cranking, hardly any vacuum builds up and the valves show faintly: shifts are best read on the running engine."
                )
            );
        var levels = courses.Select(c => PressureCourses.Level(c, 230, 330)).ToArray();
        var third = Math.Max(1, levels.Length / 3);
        var drift = levels[^third..].Average() - levels[..third].Average();
        if (Math.Abs(drift) > Drifts)
            notes.Add(
                new(
                    "drift",
                    $"The exhaust level wanders by {drift:+0.00;-0.00} bar over the capture: the sensor warms, or its seal gives way."
                )
            );
    }
}
