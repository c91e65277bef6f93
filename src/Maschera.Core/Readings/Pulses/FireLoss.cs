using Maschera.Core.Timing;
using MathNet.Numerics.LinearAlgebra;

namespace Maschera.Core.Readings.Pulses;

/// <summary>
/// What a cylinder does at the intake whose firing is weak or missing: the crank slows from its power stroke on and is fast again before
/// it. While it is slow less is drawn, so that the manifold's pressure rises; where degrees come from marks alone, all pulses come late
/// between them; and what did not burn is cold and comes back as more gas when the intake valve opens.
/// </summary>
internal static class FireLoss
{
    /// <summary>The torque of a firing lies between these, degrees after its TDC, half a sine.</summary>
    private const double TorqueFrom = 5,
        TorqueTo = 160;

    /// <summary>Gas comes back behind the intake valve's opening, degrees, standard deviation.</summary>
    private const double ReturnsAt = 385,
        ReturnsWidth = 14;

    /// <summary>Degrees over which the slope of the usual pulses is taken.</summary>
    private const int SlopeOver = 6;

    /// <summary>Where pulses come late, beside all that differs, no more is left than this, and so many times what another fault leaves.</summary>
    private const double LatePart = 0.17,
        LateLeaves = 0.15,
        Likely = 2;

    /// <summary>
    /// Pressure that rises and gas that returns do without, as with a wheel, where less than this is left and another fault leaves more: no
    /// other fault has as much of both.
    /// </summary>
    private const double PressurePart = 0.25,
        ReturnPart = 0.15,
        BothLeave = 0.06;

    /// <summary>Another cylinder that leaves less than so many times as much may be it too.</summary>
    private const double Nearly = 2;

    /// <summary>A cylinder's lost torque turns the crank by so much less, and its speed is lower by so much: a value a degree, no unit.</summary>
    private static readonly (double[] Behind, double[] Slower) s_course = Course();

    /// <summary>What the manifold makes of it, for each way to die away: pressure that rises, and gas that returns.</summary>
    private static readonly Lazy<double[][][]> s_fromManifold = new(() =>
        Array.ConvertAll(
            GasSource.Decays,
            decay => new[] { GasSource.Dying(s_course.Slower, decay), GasSource.Bump(ReturnsAt, ReturnsWidth, decay) }
        )
    );

    /// <summary>The cylinder whose firing is lost; null where what differs does not look like it.</summary>
    /// <param name="fit">What has to be explained.</param>
    /// <param name="otherwise">What another fault of one cylinder leaves at least.</param>
    public static PulseCauses? Find(SourceFit fit, double otherwise)
    {
        var each = Enumerable.Range(0, fit.Of.Angles.Length).Select(place => (Place: place, Share: Explains(fit, place))).ToList();
        var losses = each.Where(e => IsLoss(e.Share, otherwise)).ToList();
        if (losses.Count == 0)
            return null;
        var (place, best) = losses.MinBy(e => e.Share.Left);
        var (next, other) = each.Where(e => e.Place != place).MinBy(e => e.Share.Left);
        return new(Cause(place, best), other.Left < Nearly * best.Left ? Cause(next, other) : null);
    }

    private static PulseCause Cause(int place, SourceShare share) => new(PulseFault.LostFire, [place], share.Left);

    private static bool IsLoss(SourceShare share, double otherwise) =>
        share.Parts is [var late, var pressure, var returned]
        && (
            late >= LatePart && share.Left <= Math.Min(LateLeaves, Likely * otherwise)
            || pressure >= PressurePart && returned >= ReturnPart && share.Left <= Math.Min(BothLeave, otherwise)
        );

    /// <summary>What a place leaves; its parts are pulses late, pressure and returned gas.</summary>
    private static SourceShare Explains(SourceFit fit, int place)
    {
        var late = PulsesLate(fit.Of, place);
        return s_fromManifold
            .Value.Select(courses => Fit(fit, [late, .. courses.Select(c => GasSource.Turned(c, fit.Of.TurnTo(place)))]))
            .MinBy(share => share.Left)!;
    }

    /// <summary>The usual pulses later by what the crank is behind, which at a mark is nothing; none with a wheel.</summary>
    private static double[] PulsesLate(PulseResidual of, int place)
    {
        var usual = of.Usual;
        if (of.Marks.Count == 0)
            return new double[usual.Length];
        var behind = GasSource.Turned(s_course.Behind, (int)Math.Round(of.Angles[place]));
        int[] marks = [.. of.Marks.Order().Select(m => (int)m)];
        return
        [
            .. usual.Select(
                (_, i) =>
                {
                    var slope = usual[(i + SlopeOver / 2) % usual.Length] - usual[(i - SlopeOver / 2 + usual.Length) % usual.Length];
                    return slope / SlopeOver * (AtMarks(behind, marks, i) - behind[i]);
                }
            ),
        ];
    }

    /// <summary>What a clock through the marks takes the crank to be behind by at a degree.</summary>
    private static double AtMarks(double[] behind, int[] marks, int degree)
    {
        var next = Array.FindIndex(marks, m => m > degree);
        var (before, after) = next > 0 ? (marks[next - 1], marks[next]) : (marks[^1], marks[0]);
        var span = after - before + (after > before ? 0 : behind.Length);
        var share = (double)((degree - before + behind.Length) % behind.Length) / span;
        return behind[before] + share * (behind[after] - behind[before]);
    }

    private static SourceShare Fit(SourceFit fit, double[][] courses)
    {
        var of = fit.Of;
        var own = Array.ConvertAll(courses, c => PulseResidual.Odd(c, of.AlikeTurns));
        double[][] there = [.. own.Where(c => PulseResidual.Product(c, c) > 0)];
        var products = Matrix<double>.Build.Dense(there.Length, there.Length, (i, k) => PulseResidual.Product(there[i], there[k]));
        var fits = Vector<double>.Build.Dense(Array.ConvertAll(there, c => PulseResidual.Product(c, of.Course)));
        var share = fit.Share(products, fits, SourceFit.NotNegative(products, fits));
        return there.Length < own.Length ? share with { Parts = [0, .. share.Parts] } : share;
    }

    /// <summary>Torque that is missing in one firing and made up over the cycle, summed up to speed and that to angle.</summary>
    private static (double[] Behind, double[] Slower) Course()
    {
        var torque = new double[CycleFold.Bins];
        for (var i = 0; i < torque.Length; i++)
            torque[i] = i is > (int)TorqueFrom and < (int)TorqueTo ? Math.Sin(Math.PI * (i - TorqueFrom) / (TorqueTo - TorqueFrom)) : 0;
        var slower = SummedUp(torque);
        return (SummedUp(slower), slower);
    }

    private static double[] SummedUp(double[] course)
    {
        var mean = course.Average();
        var sums = new double[course.Length];
        var sum = 0.0;
        for (var i = 0; i < course.Length; i++)
            sums[i] = sum += course[i] - mean;
        var level = sums.Average();
        return Array.ConvertAll(sums, v => v - level);
    }
}
