using System.Globalization;

namespace Maschera.Core.Diagnosis;

/// <summary>A figure as it was measured once.</summary>
/// <param name="When">When it was captured.</param>
/// <param name="Value">The figure.</param>
/// <param name="Spread">How far the same measured again may lie off, one standard deviation; null where not known.</param>
public readonly record struct CoursePoint(DateTime When, double Value, double? Spread);

/// <summary>How a figure goes over several measurements.</summary>
public enum Course
{
    /// <summary>One measurement, or figures whose scatter nobody knows.</summary>
    CannotTell,

    /// <summary>It differs by no more than it scatters.</summary>
    Steady,

    /// <summary>It went one way, step after step, or slowly but surely.</summary>
    Drifts,

    /// <summary>It went one way in a single step, with rest before or behind.</summary>
    Jumped,

    /// <summary>It went away and came back.</summary>
    WentAndCameBack,

    /// <summary>It goes up and down by more than it scatters.</summary>
    UpAndDown,
}

/// <summary>
/// Tells a figure that wanders in one direction from one that only went up once and down once. A step counts from two and a half
/// times the standard error of a difference on, the root of the sum of both squared spreads.
/// </summary>
public static class FigureCourse
{
    private const double Clear = 2.5;

    /// <summary>A step that makes so much of the whole change is the change.</summary>
    private const double OneStep = 0.75;

    /// <summary>The course of a figure, the points in the order of time.</summary>
    public static Course Of(IReadOnlyList<CoursePoint> points)
    {
        if (points.Count < 2)
            return Course.CannotTell;
        if (points.All(p => p.Value == points[0].Value))
            return Course.Steady;
        if (points.Any(p => p.Spread is null))
            return Course.CannotTell;
        var steps = points.Zip(points.Skip(1)).ToList();
        var clear = steps.Where(s => IsClear(s.First, s.Second)).Select(s => s.Second.Value - s.First.Value).ToList();
        var whole = points[^1].Value - points[0].Value;
        if (clear.Count == 0)
            return IsClear(points[0], points[^1]) ? Course.Drifts : Course.Steady;
        if (clear.Exists(c => c > 0) && clear.Exists(c => c < 0))
            return IsClear(points[0], points[^1]) ? Course.UpAndDown : Course.WentAndCameBack;
        return points.Count > 2 && clear.Max(Math.Abs) >= OneStep * Math.Abs(whole) && clear.Count == 1 ? Course.Jumped : Course.Drifts;
    }

    /// <summary>What the course says in one sentence; since the last repair where there was one between the measurements.</summary>
    /// <param name="points">In the order of time.</param>
    /// <param name="unit">Of the figure; a degree sign is written without a space.</param>
    /// <param name="repairs">When a part was renewed.</param>
    public static string Said(IReadOnlyList<CoursePoint> points, string unit, IReadOnlyList<DateTime> repairs)
    {
        var last = repairs.Where(r => points.Count > 0 && r <= points[^1].When).DefaultIfEmpty(DateTime.MinValue).Max();
        var since = points.Where(p => p.When >= last).ToList();
        if (last > DateTime.MinValue && since.Count > 1 && since.Count < points.Count)
            return $"Since the part renewed on {Day(last)}: {Uncapital(Said(since, unit))}";
        return Said(points, unit);
    }

    private static string Said(IReadOnlyList<CoursePoint> points, string unit)
    {
        if (points.Count < 2)
            return "Measured once.";
        var (first, final) = (points[0], points[^1]);
        var change = $"{Number(Math.Abs(final.Value - first.Value))}{Unit(unit)}";
        var way = final.Value > first.Value ? "up" : "down";
        return Of(points) switch
        {
            Course.Steady => $"Steady: {points.Count} measurements differ by no more than they scatter.",
            Course.Drifts => $"It drifts: {change} {way} from {Day(first.When)} to {Day(final.When)}, always the same way.",
            Course.Jumped => $"It went {way} by {change} in one step, {StepSaid(points)}.",
            Course.WentAndCameBack => "It went away and came back: not a drift, look at what was different that time.",
            Course.UpAndDown => "It goes up and down by more than it scatters: no drift in one direction.",
            _ => $"{change} {way} from {Day(first.When)} to {Day(final.When)}; how far it scatters by itself is not known.",
        };
    }

    private static string StepSaid(IReadOnlyList<CoursePoint> points)
    {
        var step = Enumerable.Range(0, points.Count - 1).MaxBy(i => Math.Abs(points[i + 1].Value - points[i].Value));
        var rested =
            step == 0 ? "and has been steady since"
            : step == points.Count - 2 ? "and was steady before"
            : "steady before and since";
        return $"between {Day(points[step].When)} and {Day(points[step + 1].When)}, {rested}";
    }

    private static bool IsClear(CoursePoint a, CoursePoint b) => Math.Abs(b.Value - a.Value) > Clear * StandardError(a, b);

    private static double StandardError(CoursePoint a, CoursePoint b) =>
        Math.Sqrt((a.Spread * a.Spread + b.Spread * b.Spread) ?? double.PositiveInfinity);

    private static string Unit(string unit) => unit is "°" or "" ? unit : $" {unit}";

    private static string Uncapital(string sentence) => char.ToLowerInvariant(sentence[0]) + sentence[1..];

    private static string Day(DateTime when) => when.ToString("d MMM yyyy", CultureInfo.InvariantCulture);

    private static string Number(double value) =>
        value.ToString(
            value >= 100 ? "0"
                : value >= 1 ? "0.0"
                : "0.00",
            CultureInfo.InvariantCulture
        );
}
