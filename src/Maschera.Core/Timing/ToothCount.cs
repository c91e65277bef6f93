using Maschera.Core.Basics;

namespace Maschera.Core.Timing;

/// <summary>Which tooth of a wheel each edge is, and which teeth stand off their place.</summary>
internal static class ToothCount
{
    /// <summary>A tooth further off its place than this share of a pitch is remarked on.</summary>
    private const double ToothOff = 0.12;

    /// <summary>
    /// Teeth that stand off their place turn after turn: chipped, cracked or bent. A tooth's place is told from both
    /// neighbours, so that speed changes cancel; the neighbours of a bad one seem half as far off the other way.
    /// </summary>
    public static IEnumerable<Note> TeethOff(ToothTrain train, int[] places, WheelPattern wheel)
    {
        if (!wheel.HasMark || wheel.Teeth < 6)
            yield break;
        var (sums, squares, counts) = (new double[wheel.Teeth], new double[wheel.Teeth], new int[wheel.Teeth]);
        for (var i = 1; i + 1 < places.Length; i++)
        {
            if (train.Steps[i - 1] != 1 || train.Steps[i] != 1)
                continue;
            var off = 2 * (train.Seconds[i] - train.Seconds[i - 1]) / (train.Seconds[i + 1] - train.Seconds[i - 1]) - 1;
            var place = Modulo(places[i], wheel.Teeth);
            sums[place] += off;
            squares[place] += off * off;
            counts[place]++;
        }

        double Mean(int place) =>
            counts[Modulo(place, counts.Length)] >= 3 ? sums[Modulo(place, counts.Length)] / counts[Modulo(place, counts.Length)] : 0;
        for (var place = 0; place < counts.Length; place++)
        {
            var (mean, size) = (Mean(place), Math.Abs(Mean(place)));
            if (size < ToothOff || size <= Math.Abs(Mean(place - 1)) || size <= Math.Abs(Mean(place + 1)))
                continue;
            // Off in every turn, not now and then.
            if (Math.Sqrt(Math.Max(0, squares[place] / counts[place] - mean * mean)) > size / 3)
                continue;
            yield return new Note(
                "tooth-off",
                $"Tooth {place + 1} after the {(wheel.HasExtraTooth ? "extra tooth" : "gap")} comes {size * wheel.Pitch:0.0}° "
                    + $"{(mean > 0 ? "late" : "early")} in every turn: chipped, cracked or bent. Look at the wheel."
            );
        }
    }

    /// <summary>
    /// Places counted so that gaps fall where the wheel has them. Where an edge was lost or one too many came, the count
    /// is put right at the next gap.
    /// </summary>
    public static int[] Aligned(ToothTrain train, WheelPattern wheel, List<Note> notes)
    {
        var marks = train.Marks(wheel).ToList();
        // The shift under which most gaps fall into place.
        var shift = marks
            .SelectMany(m => wheel.Marks.Where(w => w.Size == m.Size).Select(w => Modulo(w.Place - train.Places[m.Edge], wheel.Teeth)))
            .GroupBy(s => s)
            .OrderByDescending(g => g.Count())
            .ThenBy(g => g.Key)
            .First()
            .Key;
        var places = new int[train.Places.Length];
        int correction = shift,
            slips = 0,
            next = 0;
        for (var i = 0; i < places.Length; i++)
        {
            if (next < marks.Count && marks[next].Edge == i)
            {
                var off = Off(train.Places[i] + correction, marks[next].Size, wheel);
                // A small slip of the count; a large one is a gap that is none.
                if (off != 0 && Math.Abs(off) <= 2)
                {
                    correction += off;
                    slips++;
                }

                next++;
            }

            places[i] = train.Places[i] + correction;
        }

        if (slips > 0)
            notes.Add(
                new("lost-edges", $"{slips} times a tooth edge was lost or one too many came; the count was put right at the next gap.")
            );
        return places;
    }

    /// <summary>What has to be added to a place for a gap of that size to stand where the wheel has one.</summary>
    private static int Off(int place, int missing, WheelPattern wheel)
    {
        var best = int.MaxValue;
        foreach (var (at, size) in wheel.Marks)
        {
            if (size != missing)
                continue;
            var off = Modulo(at - place + wheel.Teeth / 2, wheel.Teeth) - wheel.Teeth / 2;
            if (Math.Abs(off) < Math.Abs(best))
                best = off;
        }

        return best;
    }

    /// <summary>The rest of a division that is never below zero.</summary>
    public static int Modulo(int a, int n) => (a % n + n) % n;
}
