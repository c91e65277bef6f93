using Maschera.Core.Signals;

namespace Maschera.Core.Timing;

/// <summary>
/// How wide the gaps of a wheel look, from all turns together. Over a gap the starter may lose half its speed, so its time alone
/// would make it wider: where the engine fires evenly its speed goes the same way one firing before and behind, where there are teeth
/// to see it by; else the speed is a parabola through the teeth on both sides.
/// </summary>
internal sealed class GapWidth
{
    /// <summary>The widest gap of a wheel, pitches.</summary>
    public const int MostPitches = 13;

    /// <summary>The speed further away is not looked at.</summary>
    private const int MostFirings = 6;

    /// <summary>Gaps are of one width where the logarithms of what they look like differ by less.</summary>
    private const double Alike = 0.4;

    private readonly double[] _seconds;
    private readonly int[] _steps;
    private readonly int[] _places;
    private readonly int _turn;
    private readonly double _firings;

    /// <param name="seconds">Times of the edges, s.</param>
    /// <param name="steps">Pitches from each to the next.</param>
    /// <param name="turn">Pitches after which the pattern comes again.</param>
    /// <param name="firings">Firings of an even engine while it goes by once; null where that is not known.</param>
    private GapWidth(double[] seconds, int[] steps, int turn, double? firings)
    {
        (_seconds, _steps, _turn, _firings) = (seconds, steps, turn, firings ?? 0);
        _places = new int[seconds.Length];
        for (var i = 0; i < _steps.Length; i++)
            _places[i + 1] = _places[i] + _steps[i];
    }

    /// <summary>Pitches from each tooth to the next over one turn, with the widths that fit best.</summary>
    /// <param name="seconds">Times of the edges, s.</param>
    /// <param name="teeth">Teeth of a turn that are there.</param>
    /// <param name="gaps">Which steps of a turn are gaps, counted from the first of all.</param>
    /// <param name="firings">Firings of an even engine while it goes by once; null where that is not known.</param>
    public static int[] Of(double[] seconds, int teeth, int[] gaps, double? firings)
    {
        double Longer(int[] turn, int[] which)
        {
            int[] steps = [.. Enumerable.Range(0, seconds.Length - 1).Select(i => turn[i % teeth])];
            return Statistics.Median(new GapWidth(seconds, steps, turn.Sum(), firings).Longer(i => which.Contains(i % teeth)));
        }

        int[] Best(int[] turn, int[] which) =>
            Enumerable
                .Range(2, MostPitches - 1)
                .Select(pitches => With(turn, which, pitches))
                .MinBy(widths => Math.Abs(Longer(widths, which)))!;
        var turn = With([.. Enumerable.Repeat(1, teeth)], gaps, 2);
        double[] looks = [.. gaps.Select(gap => Longer(turn, [gap]))];
        if (looks.Max() - looks.Min() < Alike)
            return Best(turn, gaps);
        // How far away the same phase comes again depends a little on the other gaps.
        for (var pass = 0; pass < 2; pass++)
            turn = gaps.Aggregate(turn, (widths, gap) => Best(widths, [gap]));
        return turn;
    }

    private static int[] With(int[] turn, int[] gaps, int pitches) => [.. turn.Select((step, k) => gaps.Contains(k) ? pitches : step)];

    /// <summary>
    /// How far the gaps look from what they are, pitches: near 0 for edges that lie evenly through them, half a pitch for the crossings of
    /// an inductive sensor that don't; where those come late in a gap that looks right, the tooth beside it is off. 0 without gaps.
    /// </summary>
    public static double Misfit(ToothTrain train, int turn, double? firings)
    {
        var gaps = new GapWidth(train.Seconds, train.Steps, turn, firings);
        double[] off = [.. gaps.Longer(_ => true).Zip(gaps.Gaps(_ => true), (longer, at) => train.Steps[at] * (Math.Exp(longer) - 1))];
        return off.Length == 0 ? 0 : Math.Max(Math.Abs(Statistics.Median(off)), Math.Max(gaps.Beside(-1), gaps.Beside(1)));
    }

    /// <summary>How far the step before or behind the gaps looks from the one a firing away, pitches; 0 where no firing tells.</summary>
    private double Beside(int side)
    {
        double[] off =
        [
            .. Gaps(_ => true)
                .Select(gap => gap + side)
                .Where(i => _steps[i] == 1)
                .Select(i => (_seconds[i + 1] - _seconds[i]) / FiringsAway(i) - 1)
                .OfType<double>(),
        ];
        return off.Length == 0 ? 0 : Math.Abs(Statistics.Median(off));
    }

    private IEnumerable<int> Gaps(Func<int, bool> which) =>
        Enumerable.Range(2, Math.Max(0, _steps.Length - 4)).Where(i => _steps[i] > 1 && which(i));

    /// <summary>The logarithms by which those gaps take longer than they should.</summary>
    private IEnumerable<double> Longer(Func<int, bool> which) =>
        Gaps(which).Select(i => Math.Log((_seconds[i + 1] - _seconds[i]) / (FiringsAway(i) ?? Parabola(i))));

    /// <summary>The time a step would take at the speed some firings before and behind it; null where there are gaps too.</summary>
    private double? FiringsAway(int step)
    {
        for (var firings = 1; firings <= MostFirings && _firings > 0; firings++)
        {
            var away = firings * _turn / _firings;
            if (Took(_places[step] - away, _steps[step]) is { } before && Took(_places[step] + away, _steps[step]) is { } behind)
                return Math.Sqrt(before * behind);
        }

        return null;
    }

    /// <summary>The time from a place on; null outside of the train and where a gap lies between.</summary>
    private double? Took(double place, int pitches)
    {
        if (place < 0 || place + pitches >= _places[^1])
            return null;
        var (from, to) = (At(place), At(place + pitches));
        for (var i = from; i <= to; i++)
            if (_steps[i] > 1)
                return null;
        return Seconds(to, place + pitches) - Seconds(from, place);
    }

    private int At(double place)
    {
        var at = Array.BinarySearch(_places, (int)Math.Floor(place));
        return at >= 0 ? at : ~at - 1;
    }

    private double Seconds(int at, double place) => _seconds[at] + (place - _places[at]) / _steps[at] * (_seconds[at + 1] - _seconds[at]);

    /// <summary>The time the gap would take at the speed that goes on from the teeth on both sides as a parabola.</summary>
    private double Parabola(int gap)
    {
        double Speed(int at) => _steps[at] / (_seconds[at + 1] - _seconds[at]);
        var (into, outOf) = (Speed(gap - 1) - Speed(gap - 2), Speed(gap + 2) - Speed(gap + 1));
        var ends = (Speed(gap - 1) + into / 2 + Speed(gap + 1) - outOf / 2) / 2;
        // The mean of a curve with these slopes at its ends lies by a twelfth of their difference over its width beside the ends'.
        return _steps[gap] / Math.Max(ends / 3, ends + _steps[gap] * (into - outOf) / 12);
    }
}
