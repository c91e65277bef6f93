using System.Globalization;
using System.Text;
using Microsoft.AspNetCore.Html;

namespace Maschera.Web.Drawing;

/// <summary>
/// The frame of a plot in a page: two axes with round numbers and units, and where a point lies. Pixels of its own view box.
/// </summary>
/// <param name="width">Of the picture.</param>
/// <param name="height">Of the picture.</param>
/// <param name="x">Left and right end, in the x axis' unit.</param>
/// <param name="y">Lower and upper end, in the y axis' unit.</param>
/// <param name="xUnit">Written behind the x axis' last number.</param>
/// <param name="yUnit">Written above the y axis.</param>
public sealed class Plot(double width, double height, (double From, double To) x, (double Low, double High) y, string xUnit, string yUnit)
{
    private const double Left = 50,
        Right = 10,
        Top = 22,
        Bottom = 26;

    private const int Size = 12;

    /// <summary>Room for a number with its neighbours, pixels.</summary>
    private const double PixelsAcross = 110,
        PixelsDown = 65;

    /// <summary>Places of the x axis that are marked instead of round numbers, each with its unit and a line through the plot.</summary>
    private IReadOnlyList<double> Marks { get; init; } = [];

    /// <summary>One cycle of 720 crank degrees, its strokes marked.</summary>
    public static Plot OfCycle(double width, double height, (double Low, double High) y, string yUnit) =>
        new(width, height, (0, 720), y, "°", yUnit) { Marks = [0, 180, 360, 540, 720] };

    /// <summary>The plot's own area.</summary>
    public (double Left, double Right, double Top, double Bottom) Area => (Left, width - Right, Top, height - Bottom);

    public string ViewBox => $"0 0 {Say.At(width)} {Say.At(height)}";

    /// <summary>The pixel of an x value.</summary>
    public double X(double value) => Left + (value - x.From) / Span(x.To - x.From) * (width - Left - Right);

    /// <summary>The pixel of a y value.</summary>
    public double Y(double value) => height - Bottom - (value - y.Low) / Span(y.High - y.Low) * (height - Top - Bottom);

    /// <summary>The path through points, broken where there is no value.</summary>
    public string Line(IEnumerable<(double X, double? Y)> points)
    {
        var path = new StringBuilder();
        var down = false;
        foreach (var (at, value) in points)
        {
            if (value is { } number && double.IsFinite(number))
                path.Append(down ? 'L' : 'M').Append(Say.At(X(at))).Append(' ').Append(Say.At(Y(number)));
            down = value is { } known && double.IsFinite(known);
        }

        return path.ToString();
    }

    /// <summary>A value for every degree of a cycle as points, every second one of them: half a pixel apart.</summary>
    public static IEnumerable<(double X, double? Y)> ByDegree(IReadOnlyList<float> values) =>
        values.Select((v, i) => (i + 0.5, (double?)v)).Where((_, i) => i % 2 == 0);

    /// <summary>The outline of a band between two values at each place.</summary>
    public string Band(IReadOnlyList<(double X, double Low, double High)> places) =>
        string.Join(
            " ",
            places
                .Select(p => $"{Say.At(X(p.X))},{Say.At(Y(p.High))}")
                .Concat(places.Reverse().Select(p => $"{Say.At(X(p.X))},{Say.At(Y(p.Low))}"))
        );

    /// <summary>Both axes with their numbers and units, and the grid behind the curves; without numbers where names stand below.</summary>
    public IHtmlContent Axes(bool numbersBelow = true)
    {
        var drawn = new StringBuilder();
        var (left, right, top, bottom) = Area;
        var levels = Axis.Ticks(y.Low, y.High, Math.Max(2, (int)(height / PixelsDown)));
        foreach (var tick in levels)
        {
            var at = Say.At(Y(tick));
            drawn.Append(
                CultureInfo.InvariantCulture,
                $"<line x1='{left}' x2='{Say.At(right)}' y1='{at}' y2='{at}' stroke='var(--grid)'/>"
            );
            drawn.Append(Figure(left - 6, Y(tick) + 4, Number(tick, levels), "end"));
        }

        foreach (var mark in Marks)
            drawn.Append(
                CultureInfo.InvariantCulture,
                $"<line x1='{Say.At(X(mark))}' x2='{Say.At(X(mark))}' y1='{top}' y2='{Say.At(bottom)}' stroke='var(--grid)'/>"
            );
        if (numbersBelow)
            foreach (var (at, text) in Across())
                drawn.Append(Figure(X(at), bottom + 17, text, Anchor(X(at), right)));
        drawn.Append(CultureInfo.InvariantCulture, $"<line x1='{left}' x2='{Say.At(right)}' y1='{Say.At(bottom)}' y2='{Say.At(bottom)}' ");
        drawn.Append("stroke='var(--soft)'/>");
        drawn.Append(Figure(left, top - 9, yUnit, "start"));
        return new HtmlString(drawn.ToString());
    }

    private IEnumerable<(double At, string Text)> Across()
    {
        if (Marks.Count > 0)
            return Marks.Select(mark => (mark, Say.Number(mark, 0) + xUnit));
        var ticks = Axis.Ticks(x.From, x.To, Math.Max(2, (int)(width / PixelsAcross)));
        return ticks.Select(tick => (tick, Number(tick, ticks) + (tick == ticks[^1] ? $" {xUnit}" : "")));
    }

    /// <summary>A word at a place of the plot.</summary>
    public IHtmlContent Word(double at, double value, string text, string anchor = "start") =>
        new HtmlString(Figure(X(at), Y(value), text, anchor));

    /// <summary>A name below the x axis.</summary>
    public IHtmlContent Below(double at, string text) => new HtmlString(Figure(X(at), Area.Bottom + 17, text, "middle"));

    private static string Anchor(double at, double right) => at > right - 24 ? "end" : "middle";

    private static string Figure(double at, double down, string text, string anchor) =>
        $"<text x='{Say.At(at)}' y='{Say.At(down)}' text-anchor='{anchor}' font-size='{Size}' fill='var(--soft)' "
        + $"font-family='Spline Sans Mono'>{System.Net.WebUtility.HtmlEncode(text)}</text>";

    /// <summary>With as many decimals as tell neighbours apart, and a true minus.</summary>
    private static string Number(double value, IReadOnlyList<double> ticks)
    {
        var step = ticks.Count > 1 ? ticks[1] - ticks[0] : 1;
        return Say.Number(value, Math.Clamp((int)Math.Ceiling(-Math.Log10(step) - 1e-9), 0, 5));
    }

    private static double Span(double span) => span > 0 ? span : 1;
}
