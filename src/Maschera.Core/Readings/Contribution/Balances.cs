using Maschera.Core.Signals;

namespace Maschera.Core.Readings.Contribution;

/// <summary>Judges each cylinder's logged balance against the others'.</summary>
internal static class Balances
{
    /// <summary>A cylinder stands out from so many times the scatter of the others.</summary>
    private const double Clear = 4;

    /// <summary>
    /// What the module's figures of sound cylinders are taken to scatter by at least: a share of the largest distance, so that
    /// beside a strong fault little ones stay quiet, and a share of the level where figures stand about 100 %.
    /// </summary>
    private const double OfTheLargest = 0.08,
        OfTheLevel = 0.012;

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
                    var isOdd = StandsOut(course, others, c => c.Value, c => c.Spread);
                    var isLate = course.Moves && StandsOut(course, others, c => c.Last, c => c.LastSpread);
                    return new CylinderBalance(course.Cylinder, course.Value, course.Spread, higherIsWeak ? off : -off, isOdd || isLate)
                    {
                        IsLearning = isLate,
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

    private static bool StandsOut(Course course, List<Course> others, Func<Course, double> value, Func<Course, double> spread)
    {
        var usual = Statistics.Median(others.Select(value));
        var scatter = Statistics.Scatter(others.Select(value), usual);
        var largest = others.Append(course).Max(o => Math.Abs(value(o) - usual));
        var least = Math.Max(OfTheLargest * largest, Math.Abs(usual) > largest ? OfTheLevel * Math.Abs(usual) : 0);
        var off = Math.Abs(value(course) - usual);
        return off > Clear * Math.Max(Math.Max(scatter, 0.5 * others.Average(spread)), least) && off > 2 * spread(course);
    }
}
