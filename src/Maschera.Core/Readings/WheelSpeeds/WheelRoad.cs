using Maschera.Core.Signals;

namespace Maschera.Core.Readings.WheelSpeeds;

/// <summary>What the road does: turns, wheels that slip and wheels that lock; and the ratios while rolling straight.</summary>
internal sealed class WheelRoad
{
    /// <summary>Slower than this nothing is compared, km/h.</summary>
    private const double Least = 6;

    /// <summary>Ratios are taken from this speed on, km/h.</summary>
    private const double LeastForRatio = 12;

    /// <summary>Outer against inner, as a share, from which a stretch is a turn, and how long it lasts at least, s.</summary>
    private const double Turning = 0.015,
        LeastTurn = 0.6;

    /// <summary>A wheel off the others by this share slips or locks; it begins and ends at the smaller one.</summary>
    private const double Off = 0.08,
        OffEdge = 0.04;

    private const double LeastOff = 0.15;

    /// <summary>So many samples, evenly spread, tell a median and a spread as well as all of a long log.</summary>
    internal const int Plenty = 30_000;

    private readonly WheelGrid _grid;
    private readonly WheelJudge _judge;
    private readonly bool[] _driven;
    private readonly double[][] _raw = new double[5][];
    private double[] _ratios = [1, 1, 1, 1];

    public WheelRoad(WheelGrid grid, WheelJudge judge, bool[] driven)
    {
        (_grid, _judge, _driven) = (grid, judge, driven);
        Parallel.For(0, _raw.Length, but => _raw[but] = [.. Enumerable.Range(0, grid.Count).Select(i => Reference(but - 1, i))]);
        var busy = new bool[grid.Count];
        (_ratios, _) = Ratios(busy);
        Turns = FindTurns();
        Mark(busy, Turns, 0.5);
        Slides = FindSlides();
        Mark(busy, Slides, 0.5);
        (_ratios, Spreads) = Ratios(busy);
        RollingSeconds = Enumerable.Range(0, grid.Count).Count(i => !busy[i] && Raw(-1)[i] > LeastForRatio) * grid.Step;
    }

    public IReadOnlyList<WheelEvent> Turns { get; }

    /// <summary>Slip and lock.</summary>
    public IReadOnlyList<WheelEvent> Slides { get; }

    /// <summary>Each wheel against the median of the others; NaN where it can't be told.</summary>
    public IReadOnlyList<double> AllRatios => _ratios;

    /// <summary>Standard deviation of each ratio.</summary>
    public IReadOnlyList<double> Spreads { get; }

    /// <summary>How long the vehicle rolls straight, s.</summary>
    public double RollingSeconds { get; }

    /// <summary>The median of the wheels but one as they were logged, -1 for all of them.</summary>
    private double[] Raw(int but) => _raw[but + 1];

    /// <summary>The median of the wheels but one, raw or each brought to the others' size.</summary>
    private double Reference(int but, int i, bool alike = false)
    {
        Span<double> values = stackalloc double[4];
        var count = 0;
        for (var wheel = 0; wheel < 4; wheel++)
            if (wheel != but && IsValid(wheel, i))
                values[count++] = _grid.Speeds[wheel]![i] / (alike && double.IsFinite(_ratios[wheel]) ? _ratios[wheel] : 1);
        if (count < (but < 0 ? 2 : 1))
            return double.NaN;
        var sorted = values[..count];
        Sorting.Sort(sorted);
        return count % 2 == 1 ? sorted[count / 2] : (sorted[count / 2 - 1] + sorted[count / 2]) / 2;
    }

    private bool IsValid(int wheel, int i) => _judge.Valid[wheel] is { } valid && valid[i];

    private (double[] Ratios, double[] Spreads) Ratios(bool[] busy)
    {
        var (ratios, spreads) = (new double[4], new double[4]);
        var stride = Math.Max(1, _grid.Count / Plenty);
        Parallel.For(
            0,
            4,
            wheel =>
            {
                List<double> found = [];
                var others = Raw(wheel);
                for (var i = 0; i < _grid.Count; i += stride)
                    if (!busy[i] && IsValid(wheel, i) && others[i] > LeastForRatio)
                        found.Add(_grid.Speeds[wheel]![i] / others[i]);
                var sorted = Statistics.Sorted(found);
                // A wheel that stands while the others roll has no size to tell.
                var isLong = sorted.Length * stride * _grid.Step > 1;
                ratios[wheel] = isLong && Statistics.Quantile(sorted, 0.5) is > 0 and var ratio ? ratio : double.NaN;
                spreads[wheel] = (Statistics.Quantile(sorted, 0.84) - Statistics.Quantile(sorted, 0.16)) / 2;
            }
        );
        return (ratios, spreads);
    }

    /// <summary>Right against left of an axle, as a share, with each wheel's size taken out; NaN where it can't be told.</summary>
    private double Difference(int left, int i)
    {
        if (!IsValid(left, i) || !IsValid(left + 1, i))
            return double.NaN;
        var (l, r) = (_grid.Speeds[left]![i] / _ratios[left], _grid.Speeds[left + 1]![i] / _ratios[left + 1]);
        return 2 * (r - l) / Math.Max(1e-9, r + l);
    }

    private List<WheelEvent> FindTurns()
    {
        var (front, rear) = (Smooth(i => Difference(0, i)), Smooth(i => Difference(2, i)));
        double Turn(int i) =>
            double.IsNaN(front[i]) ? rear[i]
            : double.IsNaN(rear[i]) ? front[i]
            : Math.Sign(front[i]) != Math.Sign(rear[i]) ? 0
            : Math.Sign(front[i]) * Math.Min(Math.Abs(front[i]), Math.Abs(rear[i]));
        return
        [
            .. Stretches(i => Raw(-1)[i] > Least && Math.Abs(Turn(i)) > Turning ? Math.Sign(Turn(i)) : 0, LeastTurn)
                .Select(s =>
                {
                    var worst = Enumerable.Range(s.First, s.End - s.First).Max(i => Math.Abs(Turn(i)));
                    var outer = Turn(s.First) > 0 ? 1 : 0;
                    var names = new[] { WheelNames.All[outer], WheelNames.All[2 + outer] };
                    return new WheelEvent("turn", names, _grid.Times[s.First], _grid.Times[s.End - 1], 100 * worst);
                }),
        ];
    }

    private List<WheelEvent> FindSlides()
    {
        List<WheelEvent> found = [];
        for (var wheel = 0; wheel < 4; wheel++)
        {
            if (_judge.Valid[wheel] is null || _judge.States[wheel] == "erratic" || double.IsNaN(_ratios[wheel]))
                continue;
            var own = wheel;
            var braking = _grid.UnderBrake(_judge.Others(wheel));
            var turning = new bool[_grid.Count];
            Mark(turning, Turns, 0.3);
            double Share(int i) =>
                IsValid(own, i)
                && Reference(own, i, alike: true) is > Least and var others
                && _grid.Speeds[own]![i] > 0 | others > Awakes(own)
                    ? Alike(own, i) / (turning[i] ? BesideIt(own, i) ?? others : others) - 1
                    : 0;
            foreach (var (first, end) in Stretches(i => Math.Abs(Share(i)) > OffEdge ? Math.Sign(Share(i)) : 0, LeastOff))
            {
                var worst = Enumerable.Range(first, end - first).Select(Share).MaxBy(Math.Abs);
                var limit = Enumerable.Range(first, end - first).Any(i => turning[i]) ? 2 * Off : Off;
                if (Math.Abs(worst) < limit || (worst > 0 ? !_driven[wheel] : !Enumerable.Range(first, end - first).Any(i => braking[i])))
                    continue;
                var kind = worst > 0 ? "slip" : "lock";
                found.Add(new(kind, [WheelNames.All[wheel]], _grid.Times[first], _grid.Times[end - 1], 100 * worst));
            }
        }

        return Merged(found);
    }

    /// <summary>A wheel's speed, brought to the others' size.</summary>
    private double Alike(int wheel, int i) => _grid.Speeds[wheel]![i] / _ratios[wheel];

    /// <summary>
    /// The speed of the wheel on the same side of the vehicle: in a turn both run on nearly the same circle. Null where it can't tell.
    /// </summary>
    private double? BesideIt(int wheel, int i) =>
        IsValid(wheel ^ 2, i) && double.IsFinite(_ratios[wheel ^ 2]) && Alike(wheel ^ 2, i) is > Least and var speed ? speed : null;

    /// <summary>Below this a late sensor reads nothing, which is no lock.</summary>
    private double Awakes(int wheel) => double.IsNaN(_judge.LeastSpeeds[wheel]) ? Least : Math.Max(Least, 1.5 * _judge.LeastSpeeds[wheel]);

    /// <summary>Wheels that slip or lock together are one event.</summary>
    private static List<WheelEvent> Merged(List<WheelEvent> found)
    {
        List<WheelEvent> merged = [];
        foreach (var next in found.OrderBy(e => e.From))
        {
            var with = merged.FindIndex(e => e.Kind == next.Kind && next.From <= e.To && !e.Wheels.Contains(next.Wheels[0]));
            if (with < 0)
                merged.Add(next);
            else
            {
                var e = merged[with];
                merged[with] = e with
                {
                    Wheels = [.. e.Wheels, .. next.Wheels],
                    To = Math.Max(e.To, next.To),
                    WorstPercent = Math.Abs(next.WorstPercent) > Math.Abs(e.WorstPercent) ? next.WorstPercent : e.WorstPercent,
                };
            }
        }

        return merged;
    }

    /// <summary>The mean over a quarter of a second on both sides.</summary>
    private double[] Smooth(Func<int, double> value)
    {
        var half = Math.Max(1, (int)(0.2 / _grid.Step));
        var raw = Enumerable.Range(0, _grid.Count).Select(value).ToArray();
        var (sums, counts) = (new double[raw.Length + 1], new int[raw.Length + 1]);
        for (var i = 0; i < raw.Length; i++)
        {
            var isKnown = double.IsFinite(raw[i]);
            (sums[i + 1], counts[i + 1]) = (sums[i] + (isKnown ? raw[i] : 0), counts[i] + (isKnown ? 1 : 0));
        }

        for (var i = 0; i < raw.Length; i++)
        {
            var (first, end) = (Math.Max(0, i - half), Math.Min(raw.Length, i + half + 1));
            if (double.IsFinite(raw[i]))
                raw[i] = (sums[end] - sums[first]) / (counts[end] - counts[first]);
        }

        return raw;
    }

    /// <summary>Runs of samples of one sign other than 0 that last long enough.</summary>
    private IEnumerable<(int First, int End)> Stretches(Func<int, int> sign, double seconds)
    {
        var (first, last) = (0, 0);
        for (var i = 0; i <= _grid.Count; i++)
        {
            var now = i < _grid.Count ? sign(i) : 0;
            if (now == last)
                continue;
            if (last != 0 && _grid.Times[i - 1] - _grid.Times[first] >= seconds - 1e-9)
                yield return (first, i);
            (first, last) = (i, now);
        }
    }

    private void Mark(bool[] busy, IReadOnlyList<WheelEvent> events, double around)
    {
        foreach (var e in events)
            for (var i = 0; i < busy.Length; i++)
                busy[i] |= _grid.Times[i] > e.From - around && _grid.Times[i] < e.To + around;
    }
}
