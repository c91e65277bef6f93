using Maschera.Core.Signals;

namespace Maschera.Core.Readings.Misfire;

/// <summary>What a cylinder lacks at every one of its firings.</summary>
/// <param name="Place">Its place in the firing order.</param>
/// <param name="Work">What it lacks, in the unit of a gain.</param>
/// <param name="Share">The same by a whole firing's; null where nothing shows how much that is.</param>
/// <param name="OfDeepest">The same by what the cylinder lacks that lacks most.</param>
/// <param name="IsMissing">True where its firings were taken for missing.</param>
/// <param name="IsByMisfires">
/// True where misfires of others show how much a whole firing is, false where the swing of the speed does.
/// </param>
internal sealed record SteadyLack(int Place, double Work, double? Share, double OfDeepest, bool IsMissing, bool IsByMisfires)
{
    /// <summary>Less than the first share of a firing lacking at each is a weak cylinder; up to the second it may be either.</summary>
    private const double Weak = 0.6,
        Missing = 0.9;

    /// <summary>True for a cylinder that fires weakly and does not misfire.</summary>
    public bool IsWeak => !IsMissing || Share < Weak || OfDeepest < FiringPlaces.LeastBeside;

    /// <summary>True where it may fire weakly or not at all.</summary>
    public bool IsOpen => IsMissing && !IsWeak && !(Share >= Missing);
}

/// <summary>
/// Tells cylinders that fire weakly each time from those that never do. Against each other both look alike: all of their firings lack the
/// same. How much a whole firing is has to come from elsewhere.
/// </summary>
/// <param name="firings">Over one span, in time order.</param>
/// <param name="missed">Which of them were taken for missing.</param>
/// <param name="work">About what a missing one lacks.</param>
/// <param name="places">The places of the firing order.</param>
/// <param name="kernel">How much of a firing so many places away comes into a gain.</param>
internal sealed class WeakPlaces(IReadOnlyList<Firing> firings, bool[] missed, double work, FiringPlaces places, double[] kernel)
{
    /// <summary>A cylinder that misses so many of its firings is looked at as one that lacks the same at each.</summary>
    private const double Always = 0.9;

    /// <summary>A place lacks something where it stands below those on the same teeth by this share of a firing.</summary>
    private const double Least = 0.15;

    /// <summary>And by so many standard errors.</summary>
    private const double Clear = 6;

    /// <summary>Fewest firings of a place that are missing, and that are not, from which the work of one is taken.</summary>
    private const int Few = 4;

    /// <summary>
    /// A cylinder may take this share of what it lacks from the one that fires before or after it beyond what the kernel says: the work of
    /// a firing has no fixed shape, and TDC is known to some degrees.
    /// </summary>
    private const double Beside = 0.4;

    /// <summary>Passes in which what steady lacks take from their neighbours settles.</summary>
    private const int Passes = 8;

    private readonly int _places = places.Mates.Length;

    /// <summary>The firings of each place.</summary>
    private readonly ILookup<int, int> _own = Enumerable.Range(0, firings.Count).ToLookup(i => firings[i].Place);

    /// <summary>Finds them.</summary>
    /// <param name="usual">Work of a whole firing as the swing lets expect, null where it does not tell.</param>
    /// <param name="rough">The same where a cylinder may be said to give less, but not by how much; null where not even that.</param>
    /// <param name="wheel">How far errors of the wheel reach in a gain.</param>
    public IReadOnlyList<SteadyLack> Find(double? usual, double? rough, double wheel)
    {
        var always = Enumerable.Range(0, _places).Select(IsAlways).ToArray();
        var gains = PutBack(always);
        var byMisfires = ByMisfires(gains, always);
        var whole = byMisfires ?? usual;
        var levels = Enumerable.Range(0, _places).Select(p => Mean(gains, p, i => always[p] || !missed[i])).ToArray();
        var lacking = (whole ?? rough) is { } w ? Standing(levels, always, w, wheel) : always;
        var lacks = Lacks(levels, lacking);
        return
        [
            .. Enumerable
                .Range(0, _places)
                .Where(p => lacking[p])
                .Select(p => new SteadyLack(p, lacks[p], lacks[p] / whole, lacks[p] / lacks.Max(), always[p], byMisfires is not null)),
        ];
    }

    /// <summary>
    /// Those that lack all of their firings, and those that lack less; beside another that lacks more, only where it is more than that one
    /// may take from it.
    /// </summary>
    private bool[] Standing(double[] levels, bool[] always, double whole, double wheel)
    {
        bool[] standing = [.. always.Select((a, p) => a || Stands(levels, always, p, whole, wheel))];
        if (standing.Count(s => s) * 2 > _places)
            return always;
        var lacks = Lacks(levels, standing);
        return
        [
            .. standing.Select(
                (s, p) => s && (always[p] || lacks[p] > Math.Max(Least * whole, Beside * Math.Max(Next(lacks, p, 1), Next(lacks, p, -1))))
            ),
        ];
    }

    private double Next(double[] lacks, int place, int by) => lacks[(place + by + _places) % _places];

    private bool IsAlways(int place) => _own[place].Any() && _own[place].Count(i => missed[i]) >= Always * _own[place].Count();

    /// <summary>The gains, with what single missing firings take from their neighbours put back.</summary>
    private double[] PutBack(bool[] always)
    {
        bool[] single = [.. missed.Select((m, i) => m && !always[firings[i].Place])];
        var lacking = FiringFeedback.Lacking(single, kernel);
        return [.. firings.Select((f, i) => f.Gain + work * (lacking[i] - (single[i] ? kernel[0] : 0)))];
    }

    /// <summary>Work of a firing, from cylinders of which some are missing and some are not; null where there are none.</summary>
    private double? ByMisfires(double[] gains, bool[] always)
    {
        double[] found =
        [
            .. Enumerable
                .Range(0, _places)
                .Where(p => !always[p] && _own[p].Count(i => missed[i]) >= Few && _own[p].Count(i => !missed[i]) >= Few)
                .Select(p => (Mean(gains, p, i => !missed[i]) - Mean(gains, p, i => missed[i])) / kernel[0]),
        ];
        return found.Length > 0 ? Statistics.Median(found) : null;
    }

    /// <summary>True where a place stands below those it is compared with, by more than chance and the wheel make.</summary>
    private bool Stands(double[] levels, bool[] always, int place, double whole, double wheel)
    {
        var below = Reference(levels, always, place) - levels[place];
        double[] own = [.. _own[place].Where(i => !missed[i]).Select(i => firings[i].Gain)];
        var chance = own.Length > 1 ? Statistics.StandardDeviation(own) / Math.Sqrt(own.Length) : double.PositiveInfinity;
        var byWheel = places.Mates[place].Length > 1 ? 0 : wheel;
        return below > Math.Max(Math.Max(Least * whole * kernel[0], byWheel), Clear * chance);
    }

    /// <summary>
    /// The level of the others on the same teeth, or, where there is no sound one, the middle of all sound ones of its kind.
    /// </summary>
    private double Reference(double[] levels, bool[] lacking, int place)
    {
        var mates = places.Mates[place].Where(q => q != place && !lacking[q]).Select(q => levels[q]).ToArray();
        if (mates.Length > 0)
            return Statistics.Mean(mates);
        var others = Enumerable
            .Range(0, _places)
            .Where(q => q != place && !lacking[q] && (q - place) % places.Kinds == 0)
            .Select(q => levels[q])
            .ToArray();
        return others.Length > 0 ? Statistics.Median(others) : levels[place];
    }

    /// <summary>What each lacks, by itself and without what it takes from its neighbours.</summary>
    private double[] Lacks(double[] levels, bool[] lacking)
    {
        var lacks = new double[_places];
        for (var pass = 0; pass < Passes; pass++)
        {
            var alone = Enumerable.Range(0, _places).Select(p => levels[p] + FiringPlaces.FromOthers(lacks, kernel, p)).ToArray();
            for (var p = 0; p < _places; p++)
                lacks[p] = lacking[p] ? (Reference(alone, lacking, p) - alone[p]) / kernel[0] : 0;
        }

        return lacks;
    }

    private double Mean(double[] gains, int place, Func<int, bool> wanted) =>
        Statistics.Mean([.. _own[place].Where(wanted).Select(i => gains[i]).DefaultIfEmpty(0)]);
}
