namespace Maschera.Web.Drawing;

/// <summary>The inks of a picture that leaves the application; on pages the same stand in site.css, by day and by night.</summary>
public static class Palette
{
    public const string Ink = "#23201A",
        Soft = "#6B6353",
        Grid = "#DCCFB0",
        Paper = "#F6F1E4";

    /// <summary>Inks of traces, in their order.</summary>
    public static IReadOnlyList<string> Traces { get; } = ["#6B2D5C", "#0F5C66", "#A56A00", "#56702A", "#9C3D22", "#45526B"];
}
