using Maschera.Core.Signals;

namespace Maschera.Core.Readings.Response;

/// <summary>The response's own movement, from so many places that share no sample.</summary>
internal readonly record struct OwnMovement(double Spread, double Independent)
{
    /// <summary>What is added to the own movement for each place fewer: with ten of them a fifth.</summary>
    private const double FewPlaces = 2;

    /// <summary>What a spread from few places may be.</summary>
    public double Widened => Spread * (1 + FewPlaces / Independent);

    /// <summary>
    /// The trials tell of the own movement too: where they move the response alike, what they differ by is its own. Trials that do not
    /// all respond differ by more, and then the quiet places alone tell.
    /// </summary>
    public OwnMovement With(double[] changes)
    {
        if (changes.Length < 2)
            return this;
        var (differ, more) = (Statistics.StandardDeviation(changes), changes.Length - 1);
        var pooled = Math.Sqrt((Independent * Spread * Spread + more * differ * differ) / (Independent + more));
        return new(pooled, Independent + more);
    }
}

/// <summary>Which changes are clear of the response's own movement.</summary>
internal sealed class ClearChange
{
    /// <summary>A change is clear from so many times the response's own movement.</summary>
    private const double Clear = 3;

    /// <summary>A single trial of so many times that is no accident of many trials.</summary>
    private const double Striking = 1.5;

    /// <summary>Beside trials that are clear, others that change it the same way by this share of their change respond too.</summary>
    private const double Alike = 0.5;

    /// <summary>The share of the clear changes that may go the other way.</summary>
    private const double OtherWay = 0.25;

    private readonly double[] _changes;
    private readonly Limits _own,
        _alike;

    /// <param name="own">From the places without a trial.</param>
    /// <param name="changes">At each trial, in the direction in which the command leaves its rest; NaN where it can't be told.</param>
    /// <param name="smallest">The last place in which the response is written.</param>
    public ClearChange(OwnMovement own, double[] changes, double smallest)
    {
        _changes = changes;
        var known = changes.Where(double.IsFinite).ToArray();
        _own = Limits.Of(own, smallest);
        _alike = Limits.Of(own.With(known), smallest);
        AtLeast = Math.Min(_own.AtLeast, _alike.AtLeast);
        var usual = Math.Abs(Statistics.Median(known));
        MayMove =
            usual > AtLeast
            || known.Any(c => Math.Abs(c) > Math.Min(Striking * _own.AtLeast, _own.From))
            || usual > Math.Max(own.Spread, Clear * Statistics.StandardDeviation(known));
    }

    /// <summary>A smaller change is the response's own, as far as that is known.</summary>
    public double AtLeast { get; }

    /// <summary>A change of a single trial is clear from that size on.</summary>
    public double From => _own.From;

    /// <summary>
    /// Whether most trials move the response by more than is its own as far as that is known, one by much more, or all of them so much
    /// alike that it is no accident.
    /// </summary>
    public bool MayMove { get; }

    /// <summary>Whether each trial responds; what trials differ by tells of the own movement only where most of them do.</summary>
    public IReadOnlyList<bool> Responds()
    {
        var alike = Responds(_alike);
        return alike.Count(r => r) >= ResponseMaker.Most * alike.Count ? alike : Responds(_own);
    }

    /// <summary>Where clear changes go either way they are no answer to the command: none responds.</summary>
    private List<bool> Responds(Limits limits)
    {
        var clear = _changes.Where(c => Math.Abs(c) > limits.From).ToList();
        var way = Math.Sign(clear.Sum(Math.Sign));
        if (way == 0 || clear.Count(c => Math.Sign(c) != way) > OtherWay * clear.Count)
            return [.. _changes.Select(_ => false)];
        var like = Statistics.Median(clear.Where(c => Math.Sign(c) == way));
        return [.. _changes.Select(c => c * way > limits.From || c * way > Math.Max(limits.AtLeast, Alike * Math.Abs(like)))];
    }

    /// <summary>What is more than the own movement as far as that is known, and what is clear of it whatever is not.</summary>
    private readonly record struct Limits(double AtLeast, double From)
    {
        public static Limits Of(OwnMovement own, double smallest) =>
            new(Math.Max(Clear * own.Spread, smallest), Math.Max(Clear * own.Widened, smallest));
    }
}
