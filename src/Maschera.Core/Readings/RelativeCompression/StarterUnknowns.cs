using Maschera.Core.Engines;
using Maschera.Core.Signals;

namespace Maschera.Core.Readings.RelativeCompression;

/// <summary>What is known of the engine before the fit, with its doubt.</summary>
internal readonly record struct Prior(double Mean, double Deviation)
{
    /// <summary>How far a value lies from the mean, in deviations.</summary>
    public double Off(double value) => (value - Mean) / Deviation;
}

/// <summary>The unknowns of an engine on its starter: their places, bounds, and what is known of them before the fit.</summary>
internal sealed class StarterUnknowns
{
    /// <summary>
    /// Places of the unknowns: swing of the speed over the reach of the load, firing TDC of position 1 (degrees), compression ratio, intake
    /// closing after BDC and exhaust opening before it (degrees), logarithm of the motor's lag (s), law of the leaks, and the logarithm
    /// of each position's leak; behind them, for every position that does not fill, the logarithm of the port's width and the lost lift.
    /// </summary>
    public const int Swing = 0,
        Phase = 1,
        Ratio = 2,
        Closing = 3,
        Opening = 4,
        Lag = 5,
        Hole = 6,
        FirstLeak = 7;

    /// <summary>Deviations from the usual closing of the intake up to which a fitted one is believed.</summary>
    private const double FarFetched = 4;

    private static readonly Prior s_lag = new(Math.Log(0.06), 0.5);
    private static readonly Prior s_leak = new(Math.Log(0.0004), 1.5);
    private static readonly Prior s_hole = new(0.2, 0.3);
    private static readonly Prior s_height = new(Math.Log(0.01), 2);
    private static readonly Prior s_lost = new(0.5, 0.5);

    private readonly int _cylinders;
    private readonly int[] _starved;
    private readonly Prior _ratio;
    private readonly Prior _closing;
    private readonly Prior _opening;

    /// <param name="swing">What the inrush tells of the swing of the speed.</param>
    /// <param name="starved">The positions that do not fill.</param>
    public StarterUnknowns(Engine engine, Prior swing, int[] starved)
    {
        (_cylinders, _starved, UsualSwing) = (engine.Cylinders, starved, swing);
        _ratio = engine.Geometry is { } g ? new(g.CompressionRatio, 0.06) : new(engine.IsDiesel ? 17 : 11, 0.25);
        _closing = engine.ValveTiming is { } v ? new(v.Ivc - 540, 5) : new(50, 8);
        _opening = engine.ValveTiming is { } w ? new(180 - w.Evo, 5) : new(50, 8);
    }

    public Prior UsualSwing { get; }

    private int Count => HeightOf(_starved.Length);

    /// <summary>Place of the port's width of a starved position, counted among those; the lost lift stands behind it.</summary>
    public int HeightOf(int starved) => FirstLeak + _cylinders + 2 * starved;

    /// <summary>Difference steps, reaches and bounds.</summary>
    public Unknown[] Bounds()
    {
        var unknowns = new Unknown[Count];
        Array.Fill(unknowns, new Unknown(0.02, 1, -12, 1));
        for (var i = 0; i < _starved.Length; i++)
        {
            unknowns[HeightOf(i)] = new(0.03, 0.7, -9, -1.2);
            unknowns[HeightOf(i) + 1] = new(0.004, 0.2, 0, 0.995);
        }

        unknowns[Swing] = new(0.01, 0.1, 0, 1.5);
        unknowns[Phase] = new(0.3, 8);
        unknowns[Ratio] = new(0.1, 2, 5, 26);
        unknowns[Closing] = new(1, 8, 0, 94);
        unknowns[Opening] = new(1, 8, 0, 94);
        unknowns[Lag] = new(0.02, 0.3, -6, 0);
        unknowns[Hole] = new(0.02, 0.3, 0, 1);
        return unknowns;
    }

    /// <summary>How far each unknown but the phase lies from what is usual, in deviations.</summary>
    public double[] Off(double[] q) =>
        [
            UsualSwing.Off(q[Swing]),
            Math.Log(q[Ratio] / _ratio.Mean) / _ratio.Deviation,
            _closing.Off(q[Closing]),
            _opening.Off(q[Opening]),
            s_lag.Off(q[Lag]),
            s_hole.Off(q[Hole]),
            .. q[FirstLeak..HeightOf(0)].Select(s_leak.Off),
            .. _starved.SelectMany((_, i) => new[] { s_height.Off(q[HeightOf(i)]), s_lost.Off(q[HeightOf(i) + 1]) }),
        ];

    /// <summary>True where the intake would close at a time no engine's does.</summary>
    public bool IsFarFetched(double[] q) => Math.Abs(_closing.Off(q[Closing])) > FarFetched;

    /// <summary>All unknowns as usual, at a phase and a logarithm of the lag.</summary>
    public double[] Usual(double phase, double lag)
    {
        var usual = new double[Count];
        (usual[Swing], usual[Phase], usual[Ratio]) = (UsualSwing.Mean, phase, _ratio.Mean);
        (usual[Closing], usual[Opening], usual[Lag], usual[Hole]) = (_closing.Mean, _opening.Mean, lag, s_hole.Mean);
        Array.Fill(usual, s_leak.Mean, FirstLeak, _cylinders);
        for (var i = 0; i < _starved.Length; i++)
            (usual[HeightOf(i)], usual[HeightOf(i) + 1]) = (s_height.Mean, s_lost.Mean);
        return usual;
    }

    /// <summary>The same start with every cylinder sound: where neighbours are weak the rough amplitudes mislead.</summary>
    public static double[] WithoutLeaks(double[] start)
    {
        var sound = (double[])start.Clone();
        Array.Fill(sound, s_leak.Mean, FirstLeak, start.Length - FirstLeak);
        return sound;
    }

    /// <summary>
    /// Starts of a fit from one without the last of the starved positions: that fit as it is, and only its phase and lag, for it may have
    /// bent all else to make up for them.
    /// </summary>
    public double[][] StartsFrom(double[] fitted)
    {
        var missing = _starved[^((Count - fitted.Length) / 2)..];
        double[] near = [.. fitted, .. missing.SelectMany(_ => new[] { s_height.Mean, s_lost.Mean })];
        foreach (var position in missing)
            near[FirstLeak + position] = s_leak.Mean;
        return [near, Usual(fitted[Phase], fitted[Lag])];
    }

    /// <summary>The same without the first of the starved positions, which seals and fills.</summary>
    public double[] WithoutFirst(double[] fitted)
    {
        double[] fewer = [.. fitted[..HeightOf(0)], .. fitted[HeightOf(1)..]];
        fewer[FirstLeak + _starved[0]] = s_leak.Mean;
        return fewer;
    }

    public static Leak LeakOf(double[] q, int position) => new(Math.Exp(q[FirstLeak + position]), q[Hole]);

    /// <summary>The intake of a position that does not fill; null of one that does.</summary>
    public ThrottledIntake? Intake(double[] q, int position)
    {
        var place = Array.IndexOf(_starved, position);
        return place < 0 ? null : new(Math.Exp(q[HeightOf(place)]), q[HeightOf(place) + 1], q[Closing]);
    }

    /// <summary>
    /// The same with a leak enough to be felt added to this position alone, or of one that does not fill a narrower port.
    /// </summary>
    public double[] Worse(double[] q, int position)
    {
        var worse = (double[])q.Clone();
        var place = Array.IndexOf(_starved, position);
        if (place < 0)
            worse[FirstLeak + position] = Math.Log(Math.Exp(worse[FirstLeak + position]) + 0.0004);
        else
            worse[HeightOf(place)] -= 0.3;
        return worse;
    }

    /// <summary>Logarithm of the leak of a position that takes up a share of its neighbours' amplitude.</summary>
    public static double LeakFor(double share) =>
        // A cylinder at half its neighbours' amplitude leaks about ten times as much as a good one.
        s_leak.Mean
        + 5 * (1 - Math.Clamp(share, 0.3, 1.0));

    /// <summary>The gas torque of a usual lone cylinder by degrees after TDC.</summary>
    public Func<double, double> Shape()
    {
        var volumes = new ChargeVolumes(new SliderCrank(_ratio.Mean, SliderCrank.UsualRodRatio));
        var pressed = CompressedCharge.March(volumes, _closing.Mean, _opening.Mean, new Leak(Math.Exp(s_leak.Mean), 0), _ => 1);
        return after => Math.Abs(after) < 180 ? pressed.At(after) : 0;
    }
}
