using Maschera.Core.Signals;

namespace Maschera.Core.Readings.Plausibility;

/// <summary>Pulse trains that stop while their neighbours go on.</summary>
internal static class DropoutCheck
{
    /// <summary>A pause of so many periods is longer than any wheel's gap.</summary>
    private const double Periods = 6;

    private const int LeastEdges = 12;

    private sealed record Train(Watched Channel, double[] Edges, double Period);

    public static IEnumerable<Finding> Find(IReadOnlyList<Watched> channels)
    {
        var trains = channels
            .Where(c => c is { Switches: true, IsLog: false })
            .Select(Of)
            .Where(t => t.Edges.Length >= LeastEdges)
            .ToList();
        foreach (var train in trains)
        foreach (var (from, to) in Pauses(train))
        {
            var others = trains.Where(t => t != train && Alike(t, train)).ToList();
            var going = others.Where(t => GoesOn(t, from, to)).ToList();
            // With nothing beside it, a train that goes on as before has lost its pulses and not stopped.
            if (others.Count > 0 ? going.Count == 0 : !GoesOnAfter(train, from, to))
                continue;
            yield return new Finding(
                train.Channel.Name,
                "dropout",
                from,
                to,
                1,
                $"{train.Channel.Name} gives no pulses {RailCheck.Said(from, to)}"
                    + (going.Count > 0 ? $" while {going[0].Channel.Name} goes on" : ", and goes on after as before")
                    + ": a wire or sensor with a break, or an air gap too wide."
            );
        }
    }

    private static Train Of(Watched channel)
    {
        var edges = PulseTrain
            .FindEdges(channel.Channel, PulseTrain.FindRails(channel.Samples))
            .Where(e => e.Rising)
            .Select(e => e.Seconds)
            .ToArray();
        return new Train(channel, edges, edges.Length > 2 ? Statistics.Median(edges.Zip(edges.Skip(1), (a, b) => b - a)) : double.NaN);
    }

    private static IEnumerable<(double From, double To)> Pauses(Train train)
    {
        double[] ends = [train.Channel.Time.Start, .. train.Edges, train.Channel.Time.End];
        for (var i = 1; i < ends.Length; i++)
        {
            var usual = Usual(train, i - 1);
            if (ends[i] - ends[i - 1] > Periods * usual)
                yield return (ends[i - 1], ends[i]);
        }
    }

    /// <summary>The usual period round an edge.</summary>
    private static double Usual(Train train, int edge)
    {
        var (from, to) = (Math.Max(0, edge - 10), Math.Min(train.Edges.Length - 1, edge + 10));
        return Math.Max(
            train.Period / 4,
            Statistics.Median(Enumerable.Range(from, Math.Max(1, to - from)).Select(k => train.Edges[k + 1] - train.Edges[k]))
        );
    }

    /// <summary>Neighbours of one kind: wheel with wheel, injector with injector.</summary>
    private static bool Alike(Train a, Train b) => a.Period / b.Period is > 0.2 and < 5;

    private static bool GoesOn(Train train, double from, double to)
    {
        var within = train.Edges.Where(e => e > from && e < to).ToArray();
        return within.Length >= 0.5 * (to - from) / train.Period && within.Length >= 3;
    }

    private static bool GoesOnAfter(Train train, double from, double to)
    {
        var before = train.Edges.Where(e => e <= from).TakeLast(6).ToArray();
        var after = train.Edges.Where(e => e >= to).Take(6).ToArray();
        if (before.Length < 4 || after.Length < 4)
            return false;
        return (before[^1] - before[0]) / (before.Length - 1) / ((after[^1] - after[0]) / (after.Length - 1)) is > 0.7 and < 1.4;
    }
}
