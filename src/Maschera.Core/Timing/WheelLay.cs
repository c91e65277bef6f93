namespace Maschera.Core.Timing;

/// <summary>
/// Lays a wheel that is given on a train of edges: which tooth is which follows from all turns together, not from how wide a single
/// gap looks, which under the starter's swing may be anything. The cheapest way through all edges (Viterbi), where a step costs the
/// square of what its logarithm differs from the mean of the steps beside it, and an edge lost or too many costs like a few teeth.
/// </summary>
internal static class WheelLay
{
    /// <summary>No step costs more: a spike is no proof against a wheel.</summary>
    private const double MostCost = 0.5;

    /// <summary>What an edge lost or too many costs; a wheel laid a tooth off costs about 1 a turn.</summary>
    private const double SlipCost = 3;

    /// <summary>Turns with a slip may be so many.</summary>
    private const double MostSlips = 0.34;

    /// <summary>A gap looks at least so wide, as a share of the logarithm of its width.</summary>
    private const double LeastContrast = 0.5;

    private enum Move : byte
    {
        Next,
        Lost,
        TooMany,
    }

    /// <summary>The train with the wheel's steps; null where the wheel does not fit.</summary>
    public static ToothTrain? Of(ToothTrain train, WheelPattern wheel)
    {
        var steps = Steps(wheel);
        var logs = ToothTrain.LogIntervals(train.Seconds);
        if (logs.Length < 2 * steps.Length)
            return null;
        var (moves, ends) = Cheapest(logs, steps);
        var (way, first) = Back(moves, ends);
        var laid = Train(train.Seconds, steps, way, first);
        var slips = way.Count(move => move != Move.Next);
        return slips <= MostSlips * laid.Places[^1] / wheel.Teeth && Contrast(laid) >= LeastContrast ? laid : null;
    }

    /// <summary>Pitches from each tooth that is there to the next, beginning with the first after the first gap.</summary>
    private static int[] Steps(WheelPattern wheel)
    {
        int[] gapped =
        [
            .. wheel
                .GapPlaces.Zip(wheel.Missing, (place, missing) => (Place: place == 0 ? wheel.Teeth : place, missing))
                .SelectMany(g => Enumerable.Range(g.Place - g.missing, g.missing)),
        ];
        int[] there = [.. Enumerable.Range(0, wheel.Teeth).Except(gapped), wheel.Teeth];
        return [.. there.Zip(there.Skip(1), (a, b) => b - a)];
    }

    /// <summary>What each step costs if its first edge is that tooth.</summary>
    private static double Cost(double[] logs, double[] logSteps, int at, int tooth)
    {
        double Off(int i, int k) => logs[i] - logSteps[(k + logSteps.Length) % logSteps.Length];
        var (before, after) = (at > 0 ? Off(at - 1, tooth - 1) : double.NaN, at + 1 < logs.Length ? Off(at + 1, tooth + 1) : double.NaN);
        var beside =
            double.IsNaN(before) ? after
            : double.IsNaN(after) ? before
            : (before + after) / 2;
        var off = Off(at, tooth) - beside;
        return Math.Min(MostCost, off * off);
    }

    private static (Move[,] Moves, double[] Ends) Cheapest(double[] logs, int[] steps)
    {
        var teeth = steps.Length;
        double[] logSteps = [.. steps.Select(s => Math.Log(s))];
        var moves = new Move[logs.Length, teeth];
        var (costs, next) = (new double[teeth], new double[teeth]);
        for (var at = 0; at < logs.Length; at++)
        {
            Array.Fill(next, double.MaxValue);
            for (var tooth = 0; tooth < teeth; tooth++)
            {
                void Reach(int to, double cost, Move move)
                {
                    if (cost >= next[to])
                        return;
                    next[to] = cost;
                    moves[at, to] = move;
                }

                Reach((tooth + 1) % teeth, costs[tooth] + Cost(logs, logSteps, at, tooth), Move.Next);
                Reach((tooth + 2) % teeth, costs[tooth] + SlipCost, Move.Lost);
                Reach(tooth, costs[tooth] + SlipCost, Move.TooMany);
            }

            (costs, next) = (next, costs);
        }

        return (moves, costs);
    }

    /// <summary>The way that ends cheapest, as the move at every step, and the tooth it begins with.</summary>
    private static (Move[] Way, int First) Back(Move[,] moves, double[] ends)
    {
        var way = new Move[moves.GetLength(0)];
        var tooth = Array.IndexOf(ends, ends.Min());
        for (var at = way.Length - 1; at >= 0; at--)
        {
            way[at] = moves[at, tooth];
            tooth = (tooth - Teeth(way[at]) + ends.Length) % ends.Length;
        }

        return (way, tooth);
    }

    private static int Teeth(Move move) =>
        move switch
        {
            Move.Next => 1,
            Move.Lost => 2,
            _ => 0,
        };

    private static ToothTrain Train(double[] seconds, int[] steps, Move[] way, int first)
    {
        var (kept, taken, extras) = (new List<double> { seconds[0] }, new List<int>(), new List<int>());
        var tooth = first;
        for (var at = 0; at < way.Length; at++)
        {
            if (way[at] == Move.TooMany)
            {
                extras.Add(kept.Count);
                continue;
            }

            taken.Add(Enumerable.Range(tooth, Teeth(way[at])).Sum(t => steps[t % steps.Length]));
            kept.Add(seconds[at + 1]);
            tooth = (tooth + Teeth(way[at])) % steps.Length;
        }

        return new ToothTrain([.. kept], [.. taken], [.. extras]) { Lost = way.Count(move => move == Move.Lost) };
    }

    /// <summary>How wide the gaps look against how wide they are, both as logarithms: 1 where they look it, 0 where like teeth.</summary>
    private static double Contrast(ToothTrain laid)
    {
        var logs = ToothTrain.LogIntervals(laid.Seconds);
        double seen = 0,
            there = 0;
        for (var i = 1; i + 1 < laid.Steps.Length; i++)
        {
            if (laid.Steps[i] == 1)
                continue;
            double Pitch(int at) => logs[at] - Math.Log(laid.Steps[at]);
            seen += logs[i] - (Pitch(i - 1) + Pitch(i + 1)) / 2;
            there += Math.Log(laid.Steps[i]);
        }

        return there > 0 ? seen / there : 0;
    }
}
