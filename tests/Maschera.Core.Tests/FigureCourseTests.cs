using CsCheck;
using Maschera.Core.Diagnosis;

namespace Maschera.Core.Tests;

/// <summary>A figure over several visits: what wanders one way is told from what went away and came back.</summary>
public class FigureCourseTests
{
    private static readonly DateTime s_first = new(2026, 3, 3, 9, 0, 0, DateTimeKind.Utc);

    [Theory]
    [InlineData(new[] { 1.0 }, Course.CannotTell)]
    [InlineData(new[] { 1.0, 1.05, 0.98 }, Course.Steady)]
    [InlineData(new[] { 0, 2.0, 4, 6 }, Course.Drifts)]
    [InlineData(new[] { 0, 0.2, 0.4, 0.6, 0.8, 1 }, Course.Drifts)]
    [InlineData(new[] { 6.0, 3, 0 }, Course.Drifts)]
    [InlineData(new[] { 0, 0.1, 16.4 }, Course.Jumped)]
    [InlineData(new[] { 16.4, 0.1, 0 }, Course.Jumped)]
    [InlineData(new[] { 0, 8, 0.1 }, Course.WentAndCameBack)]
    [InlineData(new[] { 0, 8, 2, 11.0 }, Course.UpAndDown)]
    public void Its_course_is_told(double[] values, Course expected) => Assert.Equal(expected, FigureCourse.Of(Points(values, 0.2)));

    [Fact]
    public void Scatter_alone_is_seldom_a_drift()
    {
        var random = new Random(7);
        var drifting = Enumerable
            .Range(0, 2_000)
            .Count(_ =>
                FigureCourse.Of(Points([.. Enumerable.Range(0, 4).Select(_ => Normal(random))], 1)) is Course.Drifts or Course.Jumped
            );
        Assert.InRange(drifting, 0, 200);
    }

    [Fact]
    public void Without_a_known_scatter_nothing_is_called_a_drift_and_that_is_said()
    {
        var points = Points([1, 2, 3], null);
        Assert.Equal(Course.CannotTell, FigureCourse.Of(points));
        Assert.Contains("is not known", FigureCourse.Said(points, "bar", []), StringComparison.Ordinal);
        Assert.Equal(Course.Steady, FigureCourse.Of(Points([0, 0, 0], null)));
    }

    [Fact]
    public void The_course_does_not_depend_on_unit_or_sign() =>
        Gen.Double[-5, 5]
            .Array[2, 6]
            .Sample(values =>
            {
                var course = FigureCourse.Of(Points(values, 0.3));
                Assert.Equal(course, FigureCourse.Of(Points(Array.ConvertAll(values, v => 100 * v), 30)));
                Assert.Equal(course, FigureCourse.Of(Points(Array.ConvertAll(values, v => -v), 0.3)));
            });

    [Fact]
    public void What_was_set_is_followed_from_there()
    {
        var points = Points([9, 0, 2, 4], 0.2);
        var said = FigureCourse.Said(points, "°", [s_first.AddDays(20)]);
        Assert.Equal("Since the part renewed on 23 Mar 2026: it drifts: 4.0° up from 2 Apr 2026 to 1 Jun 2026, always the same way.", said);
        Assert.StartsWith("It goes up and down", FigureCourse.Said(points, "°", []), StringComparison.Ordinal);
        Assert.Equal("Measured once.", FigureCourse.Said(Points([9], 0.2), "°", []));
    }

    [Fact]
    public void A_step_is_named_with_its_days()
    {
        var said = FigureCourse.Said(Points([0.3, -0.2, 16.4], 0.3), "°", []);
        Assert.Contains("has been steady since", FigureCourse.Said(Points([16, 0, 0.2], 0.3), "°", []), StringComparison.Ordinal);
        Assert.Contains(
            "went up by 16.1° in one step, between 2 Apr 2026 and 2 May 2026, and was steady before.",
            said,
            StringComparison.Ordinal
        );
    }

    private static List<CoursePoint> Points(double[] values, double? spread) =>
        [.. values.Select((v, i) => new CoursePoint(s_first.AddDays(30 * i), v, spread))];

    private static double Normal(Random random) =>
        Math.Sqrt(-2 * Math.Log(1 - random.NextDouble())) * Math.Cos(Math.Tau * random.NextDouble());
}
