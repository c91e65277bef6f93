using System.Globalization;
using System.Xml.Linq;

namespace Maschera.Web.Drawing;

/// <summary>The few elements that pictures are made of. Numbers are written short, texts can hold anything.</summary>
public static class Svg
{
    private const string Figures = "Spline Sans Mono, monospace";

    private static readonly XNamespace s_space = "http://www.w3.org/2000/svg";

    /// <summary>An empty picture on paper.</summary>
    public static XElement Document(double width, double height) =>
        Element(
                "svg",
                ("width", width),
                ("height", height),
                ("viewBox", $"0 0 {Coordinate(width)} {Coordinate(height)}"),
                ("font-family", "Archivo, sans-serif"),
                ("font-size", 13),
                ("fill", Palette.Ink)
            )
            .With(Rectangle(0, 0, width, height, Palette.Paper));

    public static XElement Rectangle(double x, double y, double width, double height, string fill) =>
        Element("rect", ("x", x), ("y", y), ("width", width), ("height", height), ("fill", fill));

    /// <summary>A line of text; <paramref name="anchor"/> is start, middle or end.</summary>
    public static XElement Text(double x, double y, string text, string anchor = "start", string fill = Palette.Ink, double size = 13) =>
        Element("text", ("x", x), ("y", y), ("text-anchor", anchor), ("fill", fill), ("font-size", size)).Saying(text);

    /// <summary>A figure on an axis.</summary>
    public static XElement Figure(double x, double y, string text, string anchor) =>
        Element("text", ("x", x), ("y", y), ("text-anchor", anchor), ("fill", Palette.Soft), ("font-size", 12), ("font-family", Figures))
            .Saying(text);

    /// <summary>A word in the middle of a place, on paper of its own so that a trace behind it does not strike it through.</summary>
    public static XElement Haloed(double x, double y, string text)
    {
        var made = Text(x, y, text, "middle");
        made.SetAttributeValue("stroke", Palette.Paper);
        made.SetAttributeValue("stroke-width", 4);
        made.SetAttributeValue("paint-order", "stroke");
        return made;
    }

    /// <summary>A line along a path, dashed where <paramref name="dashes"/> says how.</summary>
    public static XElement Path(string d, string stroke, double width = 1, string? dashes = null)
    {
        var made = Element("path", ("d", d), ("fill", "none"), ("stroke", stroke), ("stroke-width", width), ("stroke-linejoin", "round"));
        made.SetAttributeValue("stroke-dasharray", dashes);
        return made;
    }

    /// <summary>A window that cuts off what lies outside of it; coordinates stay those of the picture.</summary>
    public static XElement Window(double x, double y, double width, double height) =>
        Element(
            "svg",
            ("x", x),
            ("y", y),
            ("width", width),
            ("height", height),
            ("viewBox", $"{Coordinate(x)} {Coordinate(y)} {Coordinate(width)} {Coordinate(height)}")
        );

    /// <summary>The element with further ones in it.</summary>
    public static XElement With(this XElement element, params IEnumerable<XElement> parts)
    {
        element.Add(parts);
        return element;
    }

    private static XElement Saying(this XElement element, string text)
    {
        element.Add(text);
        return element;
    }

    /// <summary>A coordinate as it is written: a tenth of a pixel is finer than anybody sees.</summary>
    public static string Coordinate(double value) => value.ToString("0.#", CultureInfo.InvariantCulture);

    private static XElement Element(string name, params ReadOnlySpan<(string Name, object Value)> attributes)
    {
        var element = new XElement(s_space + name);
        foreach (var (attribute, value) in attributes)
            element.SetAttributeValue(attribute, value is double number ? Coordinate(number) : value);
        return element;
    }
}
