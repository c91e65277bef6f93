using Maschera.Core.Signals;

namespace Maschera.Core.Logs;

/// <summary>One cell: the mean of the values that fell into it, and how many they were.</summary>
public readonly record struct LogCell(double? Mean, int Count);

/// <summary>A value by two others: usually by speed and load.</summary>
/// <param name="Across">Borders of the columns, one more than there are columns.</param>
/// <param name="Down">Borders of the rows.</param>
/// <param name="Cells">Rows of cells.</param>
public sealed record LogTable(IReadOnlyList<double> Across, IReadOnlyList<double> Down, LogCell[][] Cells)
{
    /// <summary>Sorts a channel's values by what two others held at the time.</summary>
    /// <param name="columns">About so many columns and rows, on round borders.</param>
    public static LogTable Of(Channel value, Channel across, Channel down, double from, double to, int columns = 8, int rows = 6)
    {
        var (x, y) = (Borders(across, from, to, columns), Borders(down, from, to, rows));
        var (sums, counts) = (new double[y.Length - 1, x.Length - 1], new int[y.Length - 1, x.Length - 1]);
        for (var i = value.Time.IndexAtOrAfter(from); i < value.Time.Count && value.Time[i] <= to; i++)
        {
            if (!float.IsFinite(value.Samples[i]))
                continue;
            var (c, r) = (Place(x, Resampling.Held(across, value.Time[i])), Place(y, Resampling.Held(down, value.Time[i])));
            if (c < 0 || r < 0)
                continue;
            sums[r, c] += value.Samples[i];
            counts[r, c]++;
        }

        return new LogTable(
            x,
            y,
            [
                .. Enumerable
                    .Range(0, y.Length - 1)
                    .Select(r =>
                        Enumerable
                            .Range(0, x.Length - 1)
                            .Select(c => new LogCell(counts[r, c] > 0 ? sums[r, c] / counts[r, c] : null, counts[r, c]))
                            .ToArray()
                    ),
            ]
        );
    }

    private static int Place(double[] borders, double value)
    {
        if (!(value >= borders[0] && value <= borders[^1]))
            return -1;
        var at = Array.BinarySearch(borders, value);
        return Math.Min(borders.Length - 2, at >= 0 ? at : ~at - 1);
    }

    /// <summary>Round borders, evenly spaced, round all values of the stretch.</summary>
    private static double[] Borders(Channel channel, double from, double to, int about)
    {
        var part = channel.Between(from, to).Samples.Where(float.IsFinite).DefaultIfEmpty(0).ToArray();
        double low = part.Min(),
            high = part.Max();
        var raw = Math.Max(1e-9, (high - low) / about);
        var size = Math.Pow(10, Math.Floor(Math.Log10(raw)));
        var step =
            size
            * (
                raw / size <= 1 ? 1
                : raw / size <= 2 ? 2
                : raw / size <= 5 ? 5
                : 10
            );
        var first = Math.Floor(low / step);
        var count = Math.Max(1, (int)Math.Ceiling(high / step - 1e-9) - (int)first);
        return [.. Enumerable.Range(0, count + 1).Select(i => (first + i) * step)];
    }
}
