using Maschera.Core.Signals;

namespace Maschera.Core.Readings.Contribution;

/// <summary>Judges each cylinder's logged balance against the others'.</summary>
internal static class Balances
{
    /// <summary>A cylinder stands out from so many times the scatter of the others, from more where there are few to tell it by.</summary>
    private const double Clear = 4;

    /// <summary>
    /// What the inner two thirds of 4, 5, 6… normal values, about their median, fall short of their standard deviation by: the mean of
    /// 40,000 draws each. With two or three values all count, which fall short by less.
    /// </summary>
    private static readonly double[] s_innerToWhole = [1.25, 1.13, 1.68, 1.5, 1.91, 1.75, 1.64, 1.9, 1.79, 1.69, 1.9, 1.81, 1.74, 1.9];

    /// <summary>
    /// What the module's figures of sound cylinders are taken to scatter by at least: a share of the largest distance, so that
    /// beside a strong fault little ones stay quiet, and a share of the level where figures stand about 100 %.
    /// </summary>
    private const double OfTheLargest = 0.08,
        OfTheLevel = 0.012;

    /// <summary>From this share of what makes it odd a cylinder is close to it.</summary>
    private const double CloseTo = 0.6;

    /// <summary>A figure still moves where its last third lies so many times its spread from its first.</summary>
    private const double Moves = 2;

    /// <summary>One cylinder's figure over the log and over the log's last third.</summary>
    private sealed record Course(int Cylinder, double Value, double Spread, double Last, double LastSpread, bool Moves);

    public static List<CylinderBalance> Judge(IReadOnlyDictionary<int, Channel> own, bool higherIsWeak)
    {
        var courses = own.Select(c => CourseOf(c.Key, [.. c.Value.Samples.Where(float.IsFinite).Select(v => (double)v)])).ToList();
        return
        [
            .. courses
                .Select(course =>
                {
                    var others = courses.Where(o => o.Cylinder != course.Cylinder).ToList();
                    var off = course.Value - Statistics.Median(others.Select(o => o.Value));
                    var apart = Apart(course, others, c => c.Value, c => c.Spread);
                    var isOdd = apart > 1;
                    var isLate = course.Moves && Apart(course, others, c => c.Last, c => c.LastSpread) > 1;
                    return new CylinderBalance(course.Cylinder, course.Value, course.Spread, higherIsWeak ? off : -off, isOdd || isLate)
                    {
                        IsLearning = isLate,
                        IsClose = !isOdd && !isLate && apart > CloseTo,
                    };
                })
                .OrderBy(b => b.Cylinder),
        ];
    }

    private static Course CourseOf(int cylinder, double[] values)
    {
        var (whole, first, last) = (Statistics.Sorted(values), Third(values, 0), Third(values, 2));
        var (value, end, start) = (Middle(whole), Middle(last), Middle(first));
        return new(
            cylinder,
            value,
            Spread(whole),
            end,
            Spread(last),
            Math.Abs(end - start) > Moves * Math.Max(Spread(last), Spread(first))
        );
    }

    private static double[] Third(double[] values, int which) =>
        Statistics.Sorted(values.Skip(which * values.Length / 3).Take(Math.Max(1, values.Length / 3)));

    private static double Middle(double[] sorted) => Statistics.Quantile(sorted, 0.5);

    /// <summary>The standard deviation that the inner half of the values tells of.</summary>
    private static double Spread(double[] sorted) => Statistics.InnerScatter(sorted);

    /// <summary>How far a cylinder lies from the others, as a share of what makes it odd; 0 within its own spread.</summary>
    private static double Apart(Course course, List<Course> others, Func<Course, double> value, Func<Course, double> spread)
    {
        var usual = Statistics.Median(others.Select(value));
        var scatter = Math.Max(Scatter([.. others.Select(value)], usual), 0.5 * others.Average(spread));
        var largest = others.Append(course).Max(o => Math.Abs(value(o) - usual));
        var least = Math.Max(OfTheLargest * largest, Math.Abs(usual) > largest ? OfTheLevel * Math.Abs(usual) : 0);
        var off = Math.Abs(value(course) - usual);
        var clear = Math.Max(Clear * (1 + 1.0 / others.Count) * scatter, Clear * least);
        return off > 2 * spread(course) ? off / clear : 0;
    }

    /// <summary>
    /// The larger of two estimates: the median distance from the centre, and the inner two thirds. A few values lie together by chance
    /// too often for one. Of two or three values none can be left out.
    /// </summary>
    private static double Scatter(double[] values, double centre)
    {
        const int few = 3;
        var fallsShort = s_innerToWhole[Math.Min(values.Length, 15) - 2];
        if (values.Length <= few)
            return Statistics.StandardDeviation(values) * fallsShort;
        var away = Statistics.Sorted(values.Select(v => Math.Abs(v - centre)));
        var inner = away[..^(away.Length / 3)];
        return Math.Max(Statistics.Scatter(values, centre), Math.Sqrt(inner.Sum(d => d * d) / (inner.Length - 1)) * fallsShort);
    }
}
