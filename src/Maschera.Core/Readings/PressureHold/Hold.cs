using Maschera.Core.Basics;
using Maschera.Core.Signals;

namespace Maschera.Core.Readings.PressureHold;

/// <summary>The decay of a pressure behind a stop.</summary>
internal sealed class Hold
{
    /// <summary>The pump's run-out does not count, s.</summary>
    public const double RunOut = 0.5;

    /// <summary>A value is the line through the samples so far about it, s, as a share of the hold and at least.</summary>
    private const double AboutShare = 0.02,
        LeastAbout = 0.8;

    /// <summary>How much likelier one law must be than the others: twice a logarithm of likelihoods.</summary>
    private const double ClearlyBetter = 6;

    /// <summary>A parabola that leaves less than so many times the samples' own scatter is the hold's course.</summary>
    private const double LikeNoise = 1.1,
        PlaceScatter = 0.35;

    private const int LeastSamples = 8,
        MostPoints = 300;

    /// <summary>The stop lies half a step before or behind: samples count from here, s.</summary>
    private readonly double _settled;
    private readonly double[] _seconds;
    private readonly double[] _pressures;
    private readonly Parabola? _curve;
    private readonly bool _isCurve;

    public Hold(Channel pressure, double from, double to, bool knowsStop)
    {
        (Stop, KnowsStop) = (from, knowsStop);
        _settled = RunOut + pressure.Time.Step / 2;
        var (first, end) = (pressure.Time.IndexAtOrAfter(from), pressure.Time.IndexAtOrAfter(to + 1e-9));
        var kept = Enumerable.Range(first, end - first).Where(i => float.IsFinite(pressure.Samples[i])).ToList();
        _seconds = [.. kept.Select(i => pressure.Time[i] - from)];
        _pressures = [.. kept.Select(i => (double)pressure.Samples[i])];
        _curve = Through();
        _isCurve =
            _curve is not null && _curve.Scatter < LikeNoise * Math.Max(Noise(), PlaceScatter * Statistics.LastPlace(pressure.Samples));
    }

    /// <summary>When the pump stopped, s.</summary>
    public double Stop { get; }

    public bool KnowsStop { get; }

    /// <summary>s from the stop to the last sample.</summary>
    public double Length => _seconds.Length > 0 ? _seconds[^1] : 0;

    public bool IsEnough => _seconds.Count(s => s >= _settled) >= LeastSamples && Length > 2;

    /// <summary>What drops count from.</summary>
    public double Pressure => At(RunOut);

    public double Drop(double seconds) => Pressure - At(seconds);

    /// <summary>Mean loss a minute.</summary>
    public double RatePerMinute => 60 * Drop(Length) / (Length - RunOut);

    /// <summary>The span of the pressures, the lowest and the highest of the fitted curve.</summary>
    public (double Low, double High) Span => (Math.Min(Curve(Length), Curve(RunOut)), Math.Max(Curve(Length), Curve(RunOut)));

    /// <summary>Loss a second where the fitted curve passes a pressure; at its nearer end where it does not.</summary>
    public double RateAt(double pressure)
    {
        var (low, high) = (RunOut, Length);
        for (var step = 0; step < 60; step++)
        {
            var middle = (low + high) / 2;
            (low, high) = Curve(middle) > pressure ? (middle, high) : (low, middle);
        }

        return -(_curve?.SlopeAt(low) ?? 0);
    }

    /// <summary>
    /// Half-life, s, where an exponential towards no pressure explains the fall clearly better than an orifice (a line of the
    /// pressure's root) and a line; null where another does, the bend is too small to tell, or a parabola explains more: a fall that ends
    /// at another pressure.
    /// </summary>
    public double? HalfLife
    {
        get
        {
            var used = Enumerable.Range(0, _seconds.Length).Where(i => _seconds[i] >= _settled && _pressures[i] > 0).ToList();
            if (used.Count < LeastSamples)
                return null;
            var (decay, exponential) = Fit(used, Math.Log, Math.Exp);
            var other = Math.Min(Fit(used, Math.Sqrt, r => r * r).Left, Fit(used, p => p, p => p).Left);
            var least = Math.Max(1e-300, exponential);
            var endsElsewhere = used.Count * Math.Log(least / Math.Max(1e-300, _curve!.Left)) > ClearlyBetter;
            return decay < 0 && !endsElsewhere && used.Count * Math.Log(other / least) > ClearlyBetter ? Math.Log(2) / -decay : null;
        }
    }

    /// <summary>
    /// A line through the pressures as <paramref name="bent"/> makes them: its slope, and the squares it leaves of the pressures.
    /// </summary>
    private (double Slope, double Left) Fit(List<int> used, Func<double, double> bent, Func<double, double> back)
    {
        double[] seconds = [.. used.Select(i => _seconds[i])];
        var line = LeastSquares.Linear(
            [
                [.. seconds.Select(_ => 1.0)],
                seconds,
            ],
            [.. used.Select(i => bent(_pressures[i]))]
        );
        return (line[1], used.Sum(i => Math.Pow(_pressures[i] - back(line[0] + line[1] * _seconds[i]), 2)));
    }

    public List<DecayPoint> Course()
    {
        var stride = Math.Max(1, _seconds.Length / MostPoints);
        return
        [
            .. Enumerable
                .Range(0, _seconds.Length / stride)
                .Select(k =>
                {
                    var piece = _pressures.AsSpan(k * stride, stride);
                    return new DecayPoint(Math.Round(_seconds[k * stride + stride / 2], 3), Math.Round(Statistics.Mean(piece), 5));
                }),
        ];
    }

    private double Curve(double seconds) => _curve?.At(seconds) ?? double.NaN;

    private Parabola? Through()
    {
        var used = Enumerable.Range(0, _seconds.Length).Where(i => _seconds[i] >= _settled).ToList();
        return used.Count < LeastSamples ? null : new([.. used.Select(i => _seconds[i])], [.. used.Select(i => _pressures[i])]);
    }

    /// <summary>The samples' own scatter, by what each stands off the middle of its neighbours.</summary>
    private double Noise()
    {
        var used = Enumerable.Range(1, Math.Max(0, _seconds.Length - 2)).Where(i => _seconds[i - 1] >= _settled);
        var squares = used.Select(i => Math.Pow(_pressures[i] - (_pressures[i - 1] + _pressures[i + 1]) / 2, 2)).ToList();
        return squares.Count == 0 ? 0 : Math.Sqrt(squares.Average() / 1.5);
    }

    /// <summary>
    /// The line through the samples about a moment, taken there; no sample before the run-out counts. Where one parabola leaves no more
    /// than noise, that.
    /// </summary>
    private double At(double seconds)
    {
        if (_isCurve)
            return Curve(seconds);
        var about = Math.Max(LeastAbout, AboutShare * Length);
        var (from, to) = (Math.Max(_settled, seconds - about), seconds + about);
        var inside = Enumerable.Range(0, _seconds.Length).Where(i => _seconds[i] >= from && _seconds[i] <= to).ToList();
        if (inside.Count < 3)
            inside = [.. Enumerable.Range(0, _seconds.Length).OrderBy(i => Math.Abs(_seconds[i] - seconds)).Take(4)];
        var middle = inside.Average(i => _seconds[i]);
        var level = inside.Average(i => _pressures[i]);
        var spread = inside.Sum(i => Math.Pow(_seconds[i] - middle, 2));
        var slope = spread > 0 ? inside.Sum(i => (_seconds[i] - middle) * (_pressures[i] - level)) / spread : 0;
        return level + slope * (seconds - middle);
    }
}
