using Maschera.Core.Engines;
using Maschera.Core.Signals;
using Maschera.Core.Timing;

namespace Maschera.Core.Readings.Pulses;

/// <summary>Where each kind of pulse belongs in a cylinder's cycle, and how long it usually is under way.</summary>
/// <param name="Name">The word of the command line.</param>
/// <param name="Centre">
/// Degrees after its cylinder's firing TDC at which a fault shows at the valve: suction that is missing, a blow-down that
/// is, gas that leaks.
/// </param>
/// <param name="TransitMs">Usual time to the pick-up, ms.</param>
/// <param name="IsLeakOnly">True where only gas that leaks makes pulses of single cylinders.</param>
internal sealed record PulsePlace(string Name, double Centre, double TransitMs, bool IsLeakOnly = false)
{
    /// <summary>
    /// The places a pick-up may sit at: suction in the middle of the intake stroke, blow-down behind the exhaust's opening, gas
    /// past rings or gasket about firing TDC.
    /// </summary>
    public static IReadOnlyList<PulsePlace> All { get; } =
    [new("intake", 440, 1), new("exhaust", 182, 7), new("crankcase", 20, 2, true), new("coolant", 25, 5, true)];
}

/// <summary>A pick-up's cycles, cut into each cylinder's share.</summary>
internal sealed class PulseShares
{
    /// <summary>A transit that is not said may be this much longer or shorter, ms.</summary>
    private const double MostDoubt = 6;

    /// <summary>Values in a share.</summary>
    public const int Points = 72;

    /// <summary>Distance from the usual, in units of the others' scatter, from which a cylinder stands out.</summary>
    private const double OddFrom = 2.5;

    /// <summary>Behind rings and gasket no even pulse is there to compare with, so that chance reaches further.</summary>
    private const double LeakOddFrom = 6;

    /// <summary>
    /// Cylinders of any engine differ by this share of the pulse's height on the whole of it; at one place by less than the second,
    /// which may be a fault from there.
    /// </summary>
    private const double Alike = 0.012,
        EvenWithin = 0.125;

    /// <summary>
    /// Below this share of the pulse a difference is slight; from this part of the largest on another cylinder shares it.
    /// </summary>
    private const double Slight = 0.45,
        SharedFrom = 0.62;

    /// <summary>Of fewer cylinders a fault leaves its traces in most of the others' places too.</summary>
    private const int FewestShared = 5;

    /// <summary>Values over which a difference is smoothed before its height is taken, so that noise does not add to it.</summary>
    private const int Smoothed = 5;

    /// <summary>
    /// Where one fault moves through the places of half the cylinders, their scatter tells nothing; then a distance of so many times
    /// what chance does to a mean is looked at.
    /// </summary>
    private const double ClearOfChance = 6;

    /// <summary>A depth stands out from so many times its scatter.</summary>
    private const double DepthFrom = 3.2;

    /// <summary>Depths of sound cylinders are taken to scatter by this share at least.</summary>
    private const double LeastDepth = 0.015;

    private readonly float[][] _cycles;
    private readonly double[] _angles;
    private readonly int _turns;
    private readonly double _span;
    private readonly PulsePlace _place;

    private PulseShares(float[][] cycles, float[] mean, double[] angles, double start, PulsePlace place)
    {
        (_cycles, _angles, _span, _place) = (cycles, angles, (double)CycleFold.Bins / angles.Length, place);
        _turns = FiringPattern.Repeats(angles, CycleFold.Bins);
        (Mean, Start) = (mean, start);
    }

    /// <summary>Cylinders that fire alike, among which the odd one is told.</summary>
    public int AlikeCylinders => _turns;

    /// <summary>Whole cycles.</summary>
    public int Cycles => _cycles.Length;

    /// <summary>The mean cycle, from firing TDC of the first cylinder of the firing order on.</summary>
    public float[] Mean { get; }

    /// <summary>Where a share begins, degrees after its cylinder's firing TDC.</summary>
    public double Start { get; }

    /// <summary>The transit allowed for, ms.</summary>
    public double TransitMs { get; private init; }

    /// <summary>False where another transit, one cylinder further, is nearly as likely.</summary>
    public bool TransitIsSure { get; private init; }

    /// <summary>Where in the cycle the marks lie that degrees come from; none with a wheel.</summary>
    private IReadOnlyList<double> Marks { get; init; } = [];

    /// <summary>True where the pick-up is connected the other way round; its trace is then turned over here.</summary>
    public bool IsTurned { get; private init; }

    /// <summary>Cuts a pick-up's trace; null with fewer than three whole cycles.</summary>
    /// <param name="zero">Degrees on the clock of a firing TDC of the first cylinder.</param>
    /// <param name="transitMs">The transit as a person knows it; worked out where null.</param>
    public static PulseShares? Of(Channel pulse, AngleClock clock, double zero, Engine engine, PulsePlace place, double? transitMs)
    {
        var first = (int)Math.Ceiling((clock.Degrees[0] - zero) / CycleFold.Bins - 1e-9);
        var count = (int)Math.Floor((clock.Degrees[^1] - zero) / CycleFold.Bins + 1e-9) - first;
        if (count < 3)
            return null;
        var cycles = CycleFold.Whole(pulse, clock, zero + first * (double)CycleFold.Bins, count);
        if (cycles.Length < 3)
            return null;
        float[] mean = [.. Enumerable.Range(0, CycleFold.Bins).Select(i => cycles.Average(c => c[i]))];
        var (angles, span) = (engine.Angles(), 720.0 / engine.Cylinders);
        var transit = transitMs ?? place.TransitMs;
        var lag = transit * 6 * clock.SpeedRpm / 1000;
        var isTurned = place.Name == "intake" && engine.FiresEvenly() && PickUpPolarity.IsTurned(mean, angles, lag);
        if (isTurned)
            (cycles, mean) = (Array.ConvertAll(cycles, TurnedOver), TurnedOver(mean));
        return new PulseShares(cycles, mean, angles, place.Centre + lag - span / 2, place)
        {
            Marks = clock.Source is null ? [] : MarksOf(clock, zero),
            TransitMs = transit,
            TransitIsSure = transitMs is not null || MostDoubt * 6 * clock.SpeedRpm / 1000 < span / 2,
            IsTurned = isTurned,
        };
    }

    /// <summary>Where in the cycle a clock's marks lie, degrees from firing TDC of the first cylinder.</summary>
    private static IReadOnlyList<double> MarksOf(AngleClock clock, double zero)
    {
        var places = new HashSet<double>();
        foreach (var degrees in clock.Degrees)
            places.Add(Wrap(degrees - zero));
        return [.. places];
    }

    private static float[] TurnedOver(float[] course) => Array.ConvertAll(course, v => -v);

    /// <summary>Correlation of the mean of every other cycle with the mean of the rest: 1 where all are alike, 0 by chance.</summary>
    public double Repeats
    {
        get
        {
            var even = MeanOfEvery(0);
            var odd = MeanOfEvery(1);
            var (a, b) = (even.Average(), odd.Average());
            double product = 0,
                first = 0,
                second = 0;
            for (var i = 0; i < even.Length; i++)
                (product, first, second) = (
                    product + (even[i] - a) * (odd[i] - b),
                    first + (even[i] - a) * (even[i] - a),
                    second + (odd[i] - b) * (odd[i] - b)
                );
            return first > 0 && second > 0 ? product / Math.Sqrt(first * second) : 0;
        }
    }

    /// <summary>
    /// Energy of what differs between cylinders in the mean by chance: half that of the difference of each cycle from the one before, over
    /// their number. What changes slowly is in both.
    /// </summary>
    private double ChanceEnergy()
    {
        var steps = _cycles.Skip(1).Zip(_cycles, (own, before) => PulseResidual.Odd([.. own.Zip(before, (a, b) => (double)a - b)], _turns));
        return steps.Average(step => PulseResidual.Product(step, step)) / 2 / Cycles;
    }

    private double[] MeanOfEvery(int second)
    {
        var mean = new double[CycleFold.Bins];
        var count = (Cycles - second + 1) / 2;
        for (var cycle = second; cycle < Cycles; cycle += 2)
        for (var i = 0; i < mean.Length; i++)
            mean[i] += _cycles[cycle][i] / count;
        return mean;
    }

    /// <summary>Where a place of the firing order has its share, degrees on 0-720.</summary>
    public double StartOf(int place) => ((_angles[place] + Start) % 720 + 720) % 720;

    /// <summary>Compares every cylinder with those that are most alike, and names the odd one.</summary>
    public IReadOnlyList<CylinderPulse> Compare(Engine engine)
    {
        var n = _angles.Length;
        var each = Enumerable
            .Range(0, n)
            .Select(place => Enumerable.Range(0, Cycles).Select(cycle => Share(cycle, place)).OfType<double[]>().ToArray())
            .ToArray();
        var means = each.Select(MeanOf).ToArray();
        var (usual, scatter) = UsualOfAlike(means);
        var height = usual.Average(Height);
        // Chance alone moves a mean by the scatter over cycles over the root of their number.
        var chance = Statistics.Median(
            Enumerable
                .Range(0, n)
                .Select(place => Statistics.Median(each[place].Select(s => Distance(s, means[place]))) / Math.Sqrt(each[place].Length))
        );
        var unit = Math.Max(Math.Max(scatter, 1.5 * chance), Alike * height);
        var distances = means.Zip(usual, Distance).ToArray();
        var odd = distances.Zip(DepthOddness(each, means, usual), (d, depth) => Math.Max(d / unit, depth)).ToArray();
        Apart = means.Zip(usual, SmoothHeight).Max() / height;
        if (Apart < EvenWithin || _place.IsLeakOnly && odd.Max() < LeakOddFrom)
            odd = [.. odd.Select(o => Math.Min(o, 0.9 * OddFrom))];
        else if (odd.Max() >= OddFrom || !_place.IsLeakOnly && distances.Max() > ClearOfChance * chance)
            Blame(odd, usual, distances);
        return
        [
            .. Enumerable
                .Range(0, n)
                .Select(place => Against(engine.FiringOrder[place], means[place], usual[place], each[place], odd[place], unit))
                .OrderBy(c => c.Cylinder),
        ];
    }

    /// <summary>
    /// The usual share of each place, of the cylinders that fire alike, and the distance of the sound ones from it.
    /// </summary>
    private (double[][] Usual, double Scatter) UsualOfAlike(double[][] means)
    {
        var kinds = means.Length / _turns;
        var found = Enumerable.Range(0, kinds).Select(kind => Usual([.. means.Where((_, place) => place % kinds == kind)])).ToArray();
        return ([.. means.Select((_, place) => found[place % kinds].Usual)], found.Max(f => f.Scatter));
    }

    /// <summary>How far each depth lies from the others', in units of their scatter or of chance.</summary>
    private static double[] DepthOddness(double[][][] each, double[][] means, double[][] usual)
    {
        var depths = means.Zip(usual, (own, others) => Depth(own, others) / Height(others)).ToArray();
        var middle = Statistics.Median(depths);
        // Half of the cylinders and one more, those nearest the middle, are taken for sound.
        var scatter = Statistics.StandardDeviation([.. depths.OrderBy(d => Math.Abs(d - middle)).Take(depths.Length / 2 + 1)]);
        return
        [
            .. depths.Select(
                (depth, place) =>
                {
                    var chance =
                        Statistics.StandardDeviation([.. each[place].Select(s => Depth(s, usual[place]) / Height(usual[place]))])
                        / Math.Sqrt(each[place].Length);
                    return OddFrom / DepthFrom * Math.Abs(depth - middle) / Math.Max(LeastDepth, Math.Max(1.5 * scatter, chance));
                }
            ),
        ];
    }

    /// <summary>
    /// Leaves the cylinders that explain what is odd, through whose neighbours' places it may pass; what no cylinder's fault explains is
    /// the engine's own.
    /// </summary>
    private void Blame(double[] odd, double[][] usual, double[] distances)
    {
        var culprits = Culprits(usual);
        var most = Math.Max(odd.Max(), OddFrom);
        IsUnexplained = Causes?.IsNobody == true || IsSlightAndShared(distances);
        for (var i = 0; i < odd.Length; i++)
            odd[i] = !IsUnexplained && culprits.Contains(i) ? Math.Max(odd[i], OddFrom) : Math.Min(odd[i], 0.9 * OddFrom);
        if (!IsUnexplained)
            odd[culprits[0]] = most;
    }

    /// <summary>
    /// At the tailpipe a difference of one cylinder below half a pulse, which another shares to a good part, is how this engine's
    /// cylinders differ.
    /// </summary>
    private bool IsSlightAndShared(double[] distances)
    {
        if (_place.Name != "exhaust" || Apart >= Slight || distances.Length < FewestShared)
            return false;
        double[] order = [.. distances.OrderDescending()];
        return order[1] > SharedFrom * order[0];
    }

    /// <summary>How far a share differs from the usual one at the most, as a share of that one's height.</summary>
    public double Apart { get; private set; }

    /// <summary>True where cylinders differ by more than they usually do, and no cylinder's fault explains it.</summary>
    public bool IsUnexplained { get; private set; }

    /// <summary>True where the odd cylinder draws like the others and only its firing is lost.</summary>
    public bool IsLostFire => !IsUnexplained && Causes?.Best.Fault == PulseFault.LostFire;

    private IReadOnlyList<int> Culprits(double[][] usual)
    {
        if (_place.IsLeakOnly)
            return [PulseCulprit.Find(Residual(usual), _angles, Lag)];
        var residual = new PulseResidual(Mean, ChanceEnergy(), _angles, _turns, Lag, Marks);
        Causes = _place.Name == "intake" ? IntakeCauses.Find(residual) : ExhaustCauses.Find(residual);
        return Causes.Best.Places;
    }

    /// <summary>The explanation of what is odd at the intake or the exhaust; null where nothing is.</summary>
    public PulseCauses? Causes { get; private set; }

    /// <summary>Degrees from the valve to the pick-up.</summary>
    private double Lag => Start + _span / 2 - _place.Centre;

    /// <summary>The mean cycle less the usual share in every cylinder's place, a value a degree.</summary>
    private double[] Residual(double[][] usual)
    {
        var level = Mean.Average();
        var residual = Array.ConvertAll(Mean, v => (double)v - level);
        for (var place = 0; place < _angles.Length; place++)
        {
            var start = _angles[place] + Start;
            for (var k = 0; k < (int)Math.Round(_span); k++)
                residual[Wrap(start + k)] -= usual[place][Math.Min(Points - 1, (int)(k * Points / _span))];
        }

        return residual;
    }

    private static int Wrap(double degrees) => (((int)Math.Round(degrees) % CycleFold.Bins) + CycleFold.Bins) % CycleFold.Bins;

    /// <summary>
    /// The mean of the half of the shares that are most alike, and their usual distance from it: one odd share can't bend it.
    /// </summary>
    private static (double[] Usual, double Scatter) Usual(double[][] shares)
    {
        var half = shares.Length / 2 + 1;
        var core = shares
            .Select(centre => shares.OrderBy(s => Distance(s, centre)).Take(half).ToArray())
            .MinBy(set => set.Sum(s => Distance(s, set[0])))!;
        var usual = MeanOf(core);
        return (usual, Statistics.Median(core.Select(s => Distance(s, usual))));
    }

    private CylinderPulse Against(int cylinder, double[] own, double[] others, double[][] cycles, double oddness, double unit)
    {
        var height = Height(others);
        var (shift, left) = Shifted(own, others);
        var depths = cycles.Select(c => 100 * Depth(c, others) / height).ToArray();
        var usual = Statistics.Median(cycles.Select(c => Distance(c, own)));
        return new CylinderPulse(
            cylinder,
            100 * Depth(own, others) / height,
            shift * _span / Points,
            100 * left / Math.Max(1e-12, Root(others)),
            oddness
        )
        {
            DepthSpreadPercent = Statistics.StandardDeviation(depths),
            OddCycles = cycles.Count(c => Distance(c, others) > OddFrom * Math.Max(unit, usual)) / (double)Math.Max(1, cycles.Length),
            IsOdd = oddness >= OddFrom,
            Course = [.. own.Select(v => (float)v)],
        };
    }

    /// <summary>A cylinder's share of one cycle, its level taken out; null where the cycle ends before it.</summary>
    private double[]? Share(int cycle, int place)
    {
        var share = new double[Points];
        var start = _angles[place] + Start;
        for (var k = 0; k < Points; k++)
        {
            var degrees = start + (k + 0.5) * _span / Points;
            var at = cycle + (int)Math.Floor(degrees / 720);
            if (at < 0 || at >= _cycles.Length)
                return null;
            var within = degrees - 720 * Math.Floor(degrees / 720) - 0.5;
            var i = Math.Clamp((int)Math.Floor(within), 0, CycleFold.Bins - 2);
            share[k] = _cycles[at][i] + (within - i) * (_cycles[at][i + 1] - _cycles[at][i]);
        }

        var level = share.Average();
        for (var k = 0; k < Points; k++)
            share[k] -= level;
        return share;
    }

    private static double[] MeanOf(double[][] shares) =>
        [.. Enumerable.Range(0, Points).Select(k => shares.Length == 0 ? 0 : shares.Average(s => s[k]))];

    /// <summary>Height of the difference of two shares, its noise smoothed away.</summary>
    private static double SmoothHeight(double[] own, double[] others)
    {
        var smooth = Resampling.Smooth([.. own.Zip(others, (a, b) => (float)(a - b))], Smoothed);
        return smooth.Max() - smooth.Min();
    }

    private static double Height(double[] share) => Math.Max(1e-12, share.Max() - share.Min());

    private static double Root(double[] share) => Math.Sqrt(share.Average(v => v * v));

    private static double Distance(double[] a, double[] b)
    {
        double sum = 0;
        for (var k = 0; k < a.Length; k++)
            sum += (a[k] - b[k]) * (a[k] - b[k]);
        return Math.Sqrt(sum / a.Length);
    }

    /// <summary>Height of a share as the factor by which the others' shape fits it best.</summary>
    private static double Depth(double[] own, double[] others)
    {
        var (product, square) = (0.0, 0.0);
        for (var k = 0; k < own.Length; k++)
            (product, square) = (product + own[k] * others[k], square + others[k] * others[k]);
        return square > 0 ? product / square * Height(others) : 0;
    }

    /// <summary>The shift, in points, after which a share is most like the others, and what is left between them.</summary>
    private static (double Shift, double Left) Shifted(double[] own, double[] others)
    {
        const int most = Points / 4;
        double Left(int shift)
        {
            var (sum, count) = (0.0, 0);
            for (var k = Math.Max(0, -shift); k < Math.Min(Points, Points - shift); k++)
                (sum, count) = (sum + Math.Pow(own[k + shift] - others[k], 2), count + 1);
            return sum / count;
        }

        var best = Enumerable.Range(-most, 2 * most + 1).MinBy(Left);
        // A parabola through the least and its neighbours places it between two points.
        var (before, at, after) = (Left(best - 1), Left(best), Left(best + 1));
        var bend = before - 2 * at + after;
        return (best + (bend > 0 && Math.Abs(best) < most ? (before - after) / (2 * bend) : 0), Math.Sqrt(Left(0)));
    }
}
