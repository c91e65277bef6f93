using Maschera.Core.Basics;
using Maschera.Core.Signals;

namespace Maschera.Core.Readings.Response;

/// <summary>
/// Compares the response's level late in a stretch with the level before it. What the level drifts by is taken out where there is
/// room behind the stretch: the level before and the one behind give a straight line.
/// </summary>
/// <param name="response">The response.</param>
/// <param name="length">How long a trial lasts, s.</param>
/// <param name="room">How long the response is left alone behind it, s; 0 for a change that stays.</param>
internal sealed class TrialWindows(Channel response, double length, double room)
{
    /// <summary>The share of a trial over which a level is taken.</summary>
    public const double LevelShare = 0.4;

    /// <summary>Room behind a trial that is worth using, in trials: the response must be back before it is measured.</summary>
    private const double LeastRoom = 0.7,
        MostRoom = 1.6;

    /// <summary>The shares of extreme values that a level leaves out.</summary>
    private const double Trimmed = 0.1;

    private const int MostPlaces = 400;

    private readonly double _window = LevelShare * length;
    private readonly double _behind = room < LeastRoom * length ? 0 : Math.Min(room, MostRoom * length);

    /// <summary>The level before, the change, and the time the whole comparison takes up.</summary>
    public readonly record struct Difference(double Before, double Change);

    /// <summary>How long the comparison reaches behind the start of a trial, s.</summary>
    public double Reach => length + _behind;

    /// <summary>How long it reaches before it, s.</summary>
    public double Lead => _window;

    /// <summary>The comparison for a trial that starts at <paramref name="from"/>, s; NaN where a level has no values.</summary>
    public Difference At(double from)
    {
        var before = Level(from - _window, from);
        var late = Level(from + length - _window, from + length);
        if (_behind == 0)
            return new(before, late - before);
        var after = Level(from + Reach - _window, from + Reach);
        var share = length / (length + _behind);
        return new(before, late - (double.IsNaN(after) ? before : before + share * (after - before)));
    }

    /// <summary>
    /// The same difference at places that touch none of the stretches <paramref name="busy"/>, and how many of them there are that
    /// share no sample.
    /// </summary>
    public (List<double> Changes, double Independent) Elsewhere(IReadOnlyList<Stretch> busy)
    {
        var (first, last) = (response.Time.Start + Lead, response.Time.End - Reach);
        var step = Math.Max(length / 4, (last - first) / MostPlaces);
        List<double> found = [];
        for (var from = first; from <= last; from += step)
        {
            var (start, end) = (from - Lead, from + Reach);
            if (busy.Any(b => b.From < end && b.To > start))
                continue;
            if (At(from).Change is var change && double.IsFinite(change))
                found.Add(change);
        }

        return (found, Math.Max(1, found.Count * step / (LevelShare * length + length)));
    }

    /// <summary>The mean of the samples of a stretch without its extremes; NaN where there are fewer than two.</summary>
    private double Level(double from, double to)
    {
        var (first, end) = (response.Time.IndexAtOrAfter(from), response.Time.IndexAtOrAfter(to));
        var sorted = Statistics.Sorted(response.Samples[first..end].Select(v => (double)v));
        if (sorted.Length < 2)
            return double.NaN;
        var cut = (int)(Trimmed * sorted.Length);
        return Statistics.Mean(sorted.AsSpan()[cut..(sorted.Length - cut)]);
    }
}
