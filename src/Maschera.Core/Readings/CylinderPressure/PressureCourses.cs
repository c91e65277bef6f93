using Maschera.Core.Engines;
using Maschera.Core.Signals;
using Maschera.Core.Timing;

namespace Maschera.Core.Readings.CylinderPressure;

/// <summary>Courses over one cycle by degrees after firing TDC, and what is read off them.</summary>
internal static class PressureCourses
{
    /// <summary>A course by whole degrees after firing TDC, from one by places after the tower.</summary>
    public static float[] OnTdc(float[] values, double[] angles)
    {
        var course = new float[CycleFold.Bins];
        var n = angles.Length;
        var at = 0;
        for (var i = 0; i < course.Length; i++)
        {
            // Angles run over one cycle from somewhere near TDC: the cycle before or after supplies what lies outside.
            var wanted = i + 0.5;
            while (wanted < angles[0])
                wanted += 720;
            while (wanted >= angles[0] + 720)
                wanted -= 720;
            if (at > 0 && angles[at] > wanted)
                at = 0;
            while (at + 1 < n && angles[at + 1] <= wanted)
                at++;
            var next = at + 1 < n ? angles[at + 1] : angles[0] + 720;
            var share = Math.Clamp((wanted - angles[at]) / Math.Max(1e-9, next - angles[at]), 0, 1);
            course[i] = (float)(values[at] + share * (values[(at + 1) % n] - values[at]));
        }

        return course;
    }

    public static double Level(float[] course, int from, int to) => course[from..to].Average();

    public static PressureEventSet Events(PressureEvents events, float[] mean, float[][] courses, ShutValve shut)
    {
        PressureEvent? Of(Func<float[], double?> find)
        {
            if (find(mean) is not { } degrees)
                return null;
            var each = courses.Select(find).OfType<double>().Where(d => Math.Abs(d - degrees) < 30).ToArray();
            return new PressureEvent(degrees, each.Length > PressureCycles.Least ? Statistics.StandardDeviation(each) : null);
        }

        return new PressureEventSet(
            shut == ShutValve.Exhaust ? null : Of(events.ExhaustOpens),
            shut == ShutValve.Intake ? null : Of(events.IntakeOpens),
            shut == ShutValve.Intake ? null : Of(events.IntakeCloses)
        );
    }

    public static PressureCourse Course(float[] mean, float[][] courses)
    {
        float[] Over(Func<IEnumerable<float>, float> of) =>
            [.. Enumerable.Range(0, CycleFold.Bins).Select(i => of(courses.Select(c => c[i])))];
        return new PressureCourse(
            mean,
            Over(v => v.Min()),
            Over(v => v.Max()),
            Over(v => (float)Statistics.StandardDeviation([.. v.Select(x => (double)x)]))
        );
    }

    /// <summary>
    /// Share of the charge that is lost, to walls or through leaks, between compression and expansion: pressures at the same volumes on
    /// both flanks of the tower, 20 to 90° from TDC, where mass goes with p^(1/n).
    /// </summary>
    /// <param name="course">By degrees after firing TDC, bar.</param>
    /// <param name="vacuum">What makes it absolute, bar.</param>
    public static double Lost(float[] course, double vacuum)
    {
        const double exponent = 1.33;
        var shares = Enumerable
            .Range(20, 71)
            .Select(d => (After: course[d] + vacuum, Before: course[CycleFold.Bins - 1 - d] + vacuum))
            .Where(p => p.After > 0 && p.Before > 0)
            .Select(p => 1 - Math.Pow(p.After / p.Before, 1 / exponent))
            .ToArray();
        return shares.Length == 0 ? 0 : shares.Average();
    }

    /// <summary>
    /// What a tight cylinder with the engine file's timing reaches from this manifold pressure, bar as the sensor counts.
    /// </summary>
    public static double? Expected(GasFit own, SliderCrank crank, Engine engine)
    {
        if (own.Shut != ShutValve.None)
            return null;
        var tight = new MotoredCylinder(crank, CylinderChoice.Timing(engine)).Cycle(
            own.State with
            {
                LeakArea = 0,
                ExhaustShift = 0,
                IntakeShift = 0,
            }
        );
        return tight.Max() - own.Vacuum;
    }

    /// <summary>
    /// How much more pressure the exhaust stroke meets than the reference's exhaust would hold against it at this speed, bar;
    /// null without one.
    /// </summary>
    public static double? Exceeds(float[] mean, FittedCylinder fitted, SliderCrank crank, Engine engine)
    {
        if (fitted.ReferenceFit is not { } reference || fitted.Own.Shut != ShutValve.None)
            return null;
        var own = fitted.Own;
        var cylinder = new MotoredCylinder(crank, CylinderChoice.Timing(engine));
        // A sensor's wrong zero leaves absolute pressures right, a wrong scale their ratio to the air's: both have to say it.
        double Beyond(double exhaust)
        {
            var usual = cylinder.Cycle(own.State with { Exhaust = exhaust });
            return Level(mean, 230, 330)
                + own.Vacuum
                - usual[(230 * MotoredCylinder.PerDegree)..(330 * MotoredCylinder.PerDegree)].Average();
        }

        return Math.Min(Beyond(reference.State.Exhaust), Beyond(reference.State.Exhaust * own.Vacuum / reference.Vacuum) / own.Vacuum);
    }
}
