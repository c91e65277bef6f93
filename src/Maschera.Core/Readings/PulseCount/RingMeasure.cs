using Maschera.Core.Basics;
using Maschera.Core.Signals;

namespace Maschera.Core.Readings.PulseCount;

/// <summary>What the revolutions show: teeth a revolution, those that are gone, those lost now and then, and the run-out.</summary>
internal sealed class RingMeasure
{
    /// <summary>An interval this much longer than its neighbours has a tooth missing in it.</summary>
    private const double GapRatio = 1.6;

    /// <summary>Revolutions told one by one.</summary>
    private const int MostTurns = 24;

    /// <summary>What is there by chance in half of the largest less the smallest of many means, in standard deviations of one.</summary>
    private const double ByChance = 2.4;

    /// <summary>Lengths that do not come again so well in the next revolution are a hand's doing, %, from this half swing on.</summary>
    private const double Repeats = 0.6,
        LeastSeen = 0.02;

    /// <summary>Without a mark, what is more uneven than this, %, is how a hand turned it.</summary>
    private const double MostUneven = 35;

    /// <summary>Outside of the marks a loss is whole pitches, give or take this share, with so many even ones to either side.</summary>
    private const double Whole = 0.2;
    private const int Beside = 4;

    /// <summary>Run-out is slow round the ring: lengths are alike over this part of it.</summary>
    private const int Parts = 12;

    private readonly PulseEdges _pulses;
    private readonly Turns _turns;
    private readonly double[] _intervals;

    public RingMeasure(PulseEdges pulses, Turns turns, int? target)
    {
        (_pulses, _turns) = (pulses, turns);
        _intervals = [.. pulses.Begins.Zip(pulses.Begins.Skip(1), (a, b) => b - a)];
        Teeth = TeethOf(turns.Counts, target);
        Gone = FindGone();
        // A gap that the target allows for is none.
        Places = Teeth + Gone.Sum(g => g.Pulses);
        Missing = target == Teeth ? [] : [.. Gone.Select(AsMissing).OrderBy(m => m.At)];
        Dropouts = FindDropouts();
        (Ring, Runout) = Measure();
        EachTurn = [.. Enumerable.Range(0, Math.Min(MostTurns, turns.Count)).Select(TurnOf)];
    }

    /// <summary>Pulses of a revolution in which none is lost.</summary>
    public int Teeth { get; }

    /// <summary>Tooth places: with those that are gone.</summary>
    public int Places { get; }

    public IReadOnlyList<MissingPulses> Missing { get; }

    public IReadOnlyList<(double From, double To, int Pulses)> Dropouts { get; }

    public IReadOnlyList<RingTooth> Ring { get; }

    /// <summary>The first revolutions one by one.</summary>
    public IReadOnlyList<RingTurn> EachTurn { get; }

    /// <summary>%, null for fewer than two revolutions, and where a hand's turning hides it.</summary>
    public double? Runout { get; }

    /// <summary>Gaps of every revolution: behind which tooth, and how many pulses.</summary>
    private IReadOnlyList<(int Tooth, int Pulses)> Gone { get; }

    /// <summary>The count that most revolutions have; where several lost pulses, the largest that comes twice or is the target.</summary>
    private static int TeethOf(int[] counts, int? target)
    {
        if (target is { } wanted && counts.Contains(wanted) && counts.All(c => c <= wanted))
            return wanted;
        var most = counts.Max();
        return counts.Length > 2 && counts.Count(c => c == most) == 1 && counts.Count(c => c == most - 1) > counts.Length / 2
            ? most - 1
            : most;
    }

    /// <summary>The revolutions in which no pulse was lost.</summary>
    private IEnumerable<int> WholeTurns => Enumerable.Range(0, _turns.Count).Where(t => _turns.Counts[t] == Teeth);

    private double RatioBehind(int pulse) => pulse >= _intervals.Length ? double.NaN : _intervals[pulse] / Turns.Usual(_intervals, pulse);

    private List<(int Tooth, int Pulses)> FindGone()
    {
        List<(int, int)> gone = [];
        var whole = WholeTurns.ToList();
        for (var tooth = 0; tooth < Teeth; tooth++)
        {
            var ratios = whole.Select(t => RatioBehind(_turns.Starts[t] + tooth)).Where(double.IsFinite).Order().ToList();
            // In nearly every revolution: a wheel turned by hand may stop anywhere, but not at one tooth every time.
            if (ratios.Count == 0 || ratios[ratios.Count / 5] < GapRatio)
                continue;
            gone.Add((tooth, Math.Max(1, (int)Math.Round(ratios[(ratios.Count - 1) / 2]) - 1)));
        }

        return gone;
    }

    private MissingPulses AsMissing((int Tooth, int Pulses) gap)
    {
        var turn = WholeTurns.First();
        var pulse = _turns.Starts[turn] + gap.Tooth;
        while (pulse - Teeth >= 0 && turn > 0 && _turns.Counts[turn - 1] == Teeth)
            (pulse, turn) = (pulse - Teeth, turn - 1);
        var at = _pulses.MiddleOfGap(pulse);
        return new(at, gap.Pulses, DegreesOf(pulse, turn, at), EveryRevolution: true);
    }

    /// <summary>From the mark, by places and not by time, for a wheel may change its speed within a revolution.</summary>
    private double? DegreesOf(int pulse, int turn, double at)
    {
        if (_turns.Marks.Count == 0)
            return null;
        var first = _turns.Starts[turn];
        var before = Gone.Where(g => first + g.Tooth < pulse).Sum(g => g.Pulses);
        var here = Gone.Where(g => first + g.Tooth == pulse).Sum(g => g.Pulses);
        var toFirst =
            first > 0
                ? (_pulses.Begins[first] - _turns.Marks[turn]) / Math.Max(1e-12, _intervals[first - 1]) * (1 + GoneBehind(Teeth - 1))
                : 0;
        var part = (at - _pulses.Begins[pulse]) / _intervals[pulse] * (1 + here);
        var degrees = (toFirst + pulse - first + before + part) * 360 / Places;
        return (degrees % 360 + 360) % 360;
    }

    private int GoneBehind(int tooth) => Gone.Where(g => g.Tooth == tooth).Sum(g => g.Pulses);

    /// <summary>The longest intervals of the revolutions that miss pulses, as many as are missing there.</summary>
    private List<(double From, double To, int Pulses)> FindDropouts()
    {
        List<(double, double, int)> lost = [];
        for (var turn = 0; turn < _turns.Count; turn++)
        {
            var missing = Teeth - _turns.Counts[turn];
            var (first, end) = (Math.Max(0, _turns.Starts[turn] - 1), Math.Min(_intervals.Length, _turns.Starts[turn + 1]));
            var candidates = Enumerable
                .Range(first, Math.Max(0, end - first))
                .Select(p => (Pulse: p, Over: OverUsual(p)))
                .Where(c => c.Over >= GapRatio - 1)
                .OrderByDescending(c => c.Over)
                .ToList();
            foreach (var (pulse, over) in candidates)
            {
                if (missing <= 0)
                    break;
                var pulses = Math.Min(missing, Math.Max(1, (int)Math.Round(over)));
                missing -= pulses;
                lost.Add((_pulses.Begins[pulse], _pulses.Begins[pulse + 1], pulses));
            }
        }

        return [.. lost.Concat(LostOutside()).OrderBy(l => l.Item1)];
    }

    /// <summary>
    /// What is lost before the first mark and behind the last: a gap of whole pitches among even pulses, for a wheel that starts or stops
    /// there spreads them as well.
    /// </summary>
    private IEnumerable<(double From, double To, int Pulses)> LostOutside()
    {
        if (_turns.Marks.Count == 0)
            yield break;
        for (var pulse = Beside; pulse < _intervals.Length - Beside; pulse++)
        {
            if (pulse >= _turns.Starts[0] - 1 && pulse < _turns.Starts[^1])
                continue;
            var over = OverUsual(pulse);
            var pulses = (int)Math.Round(over);
            // A loss moves the teeth's places up to the mark: what is as long as a gap of every revolution may be that.
            if (over < GapRatio - 1 || Math.Abs(over - pulses) > Whole * Math.Max(1, over) || Gone.Any(g => g.Pulses == pulses))
                continue;
            if (IsEvenAbout(pulse))
                yield return (_pulses.Begins[pulse], _pulses.Begins[pulse + 1], pulses);
        }
    }

    private bool IsEvenAbout(int pulse)
    {
        var about = Enumerable.Range(pulse - Beside, 2 * Beside + 1).Where(p => p != pulse).Select(p => _intervals[p]).ToList();
        return about.Max() < GapRatio * about.Min();
    }

    /// <summary>How many pitches an interval has beyond its own: what is gone there in every revolution is taken off.</summary>
    private double OverUsual(int pulse)
    {
        var pitch = Turns.Usual(_intervals, pulse);
        var over = _intervals[pulse] / pitch - 1;
        return Gone.Any(g => Math.Abs(over - g.Pulses) < 0.3 && IsWhereGone(pulse, g.Tooth)) ? 0 : over;
    }

    /// <summary>True where the tooth counted from the last whole start is the one behind which a gap stands.</summary>
    private bool IsWhereGone(int pulse, int tooth)
    {
        var turn = Math.Max(0, _turns.Starts.ToList().FindLastIndex(s => s <= pulse));
        var place = (pulse - _turns.Starts[turn] + Teeth) % Teeth;
        var fromEnd = turn + 1 < _turns.Starts.Count ? _turns.Starts[turn + 1] - pulse : 0;
        return place == tooth || fromEnd == Teeth - tooth;
    }

    /// <summary>The mean length of every tooth, with the mean over a whole revolution about it taken out.</summary>
    private (List<RingTooth> Ring, double? Runout) Measure()
    {
        var lengths = new List<double>[Teeth];
        for (var tooth = 0; tooth < Teeth; tooth++)
            lengths[tooth] = [];
        foreach (var turn in WholeTurns)
            for (var tooth = 0; tooth < Teeth; tooth++)
                if (LengthOf(_turns.Starts[turn] + tooth, 1 + GoneBehind(tooth)) is { } length)
                    lengths[tooth].Add(length);
        var ring = new List<RingTooth>();
        double place = 0;
        for (var tooth = 0; tooth < Teeth; tooth++)
        {
            var mean = lengths[tooth].Count > 0 ? Statistics.Mean(lengths[tooth].ToArray()) : 1;
            ring.Add(new(Math.Round(place * 360 / Places, 2), Math.Round(100 * mean, 2), GoneBehind(tooth)));
            place += 1 + GoneBehind(tooth);
        }

        var runout = RunoutOf(lengths);
        return (ring, runout > MostUneven && _turns.Marks.Count == 0 ? null : runout);
    }

    private RingTurn TurnOf(int turn)
    {
        if (_turns.Counts[turn] == Teeth)
            return new([.. Enumerable.Range(0, Teeth).Select(t => Percent(LengthOf(_turns.Starts[turn] + t, 1 + GoneBehind(t))))], []);
        List<double> lost = [];
        var tooth = 0;
        for (var pulse = _turns.Starts[turn]; pulse < _turns.Starts[turn + 1] && tooth < Teeth; pulse++, tooth++)
        {
            var begin = _pulses.Begins[Math.Min(pulse, _pulses.Count - 1)];
            foreach (var gap in Dropouts.Where(d => d.From == begin))
                for (var i = 0; i < gap.Pulses && tooth + 1 < Teeth; i++)
                    lost.Add(Ring[++tooth].Degrees);
        }

        return new([], lost);
    }

    private static double? Percent(double? share) => share is { } s ? Math.Round(100 * s, 2) : null;

    /// <summary>An interval against the mean pitch of the revolution around it; null at the ends.</summary>
    private double? LengthOf(int pulse, int pitches)
    {
        var (first, end) = (pulse - Teeth / 2, pulse - Teeth / 2 + Teeth);
        if (first < 0 || end >= _pulses.Count)
            return null;
        return _intervals[pulse] / pitches / ((_pulses.Begins[end] - _pulses.Begins[first]) / Places);
    }

    private static double? RunoutOf(List<double>[] lengths)
    {
        var known = lengths.Where(l => l.Count > 1).ToList();
        if (known.Count < lengths.Length * 0.8)
            return null;
        var half = HalfSwing(known);
        if (half < LeastSeen || Likeness(known) >= Repeats)
            return 100 * half;
        var smooth = Smooth(known);
        return Likeness(smooth) >= Repeats ? 100 * HalfSwing(smooth) : null;
    }

    /// <summary>Half of the largest less the smallest mean length, without what is there by chance.</summary>
    private static double HalfSwing(List<List<double>> lengths)
    {
        var means = lengths.Select(l => Statistics.Mean(l.ToArray())).ToList();
        var noise = Math.Sqrt(lengths.Average(l => Math.Pow(Statistics.StandardDeviation(l.ToArray()), 2) / l.Count));
        var half = (means.Max() - means.Min()) / 2;
        return Math.Sqrt(Math.Max(0, half * half - Math.Pow(ByChance * noise, 2)));
    }

    /// <summary>The lengths of every revolution, each the mean over its part of the ring: single samples scatter less there.</summary>
    private static List<List<double>> Smooth(List<List<double>> lengths)
    {
        var (turns, reach) = (lengths.Min(l => l.Count), Math.Max(1, lengths.Count / Parts / 2));
        return [.. lengths.Select((_, tooth) => Enumerable.Range(0, turns).Select(turn => About(tooth, turn)).ToList())];

        double About(int tooth, int turn) =>
            Enumerable.Range(tooth - reach, 2 * reach + 1).Average(t => lengths[(t + lengths.Count) % lengths.Count][turn]);
    }

    /// <summary>Correlation of each tooth's length with its length a revolution later.</summary>
    private static double Likeness(List<List<double>> lengths)
    {
        var pairs = lengths.SelectMany(l => l.Zip(l.Skip(1))).ToList();
        var (a, b) = (pairs.Average(p => p.First), pairs.Average(p => p.Second));
        var both = pairs.Sum(p => (p.First - a) * (p.Second - b));
        var own = Math.Sqrt(pairs.Sum(p => (p.First - a) * (p.First - a)) * pairs.Sum(p => (p.Second - b) * (p.Second - b)));
        return both / Math.Max(1e-12, own);
    }
}
