using Maschera.Core.Basics;
using Maschera.Core.Expressions;
using Maschera.Core.Readings.CamTiming;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;

namespace Maschera.Web.Pages.Shelf;

/// <summary>Cam timing from four times read off two printed captures.</summary>
public sealed class ByNumbersModel : PageModel
{
    [BindProperty(SupportsGet = true)]
    public string? GoodTurns { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? GoodEdge { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? Turns { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? Edge { get; set; }

    public PrintedTimes Good { get; private set; }
    public PrintedTimes Here { get; private set; }
    public (double OffsetDegrees, double DoubtDegrees)? Answer { get; private set; }
    public string? Problem { get; private set; }

    public void OnGet()
    {
        string?[] words = [GoodTurns, GoodEdge, Turns, Edge];
        if (words.All(string.IsNullOrWhiteSpace))
            return;
        if (words.FirstOrDefault(w => Read(w) is null) is var wrong && words.Any(w => Read(w) is null))
        {
            Problem = string.IsNullOrWhiteSpace(wrong)
                ? "Four times are needed: two of each capture."
                : $"“{wrong}” can't be read as a number: write it like 12.5.";
            return;
        }

        (Good, Here) = (Times(GoodTurns!, GoodEdge!), Times(Turns!, Edge!));
        Problem =
            Good.Problem is { } good ? $"Known-good: {good}"
            : Here.Problem is { } here ? $"This engine: {here}"
            : null;
        if (Problem is null)
            Answer = PrintedTimes.Compare(Good, Here);
    }

    private static PrintedTimes Times(string turns, string edge) =>
        new(Read(turns)!.Value, Read(edge)!.Value, Math.Max(Place(turns), Place(edge)));

    private static double? Read(string? text) => TypedNumber.Parse(text);

    /// <summary>The last place a number is written to.</summary>
    private static double Place(string text) =>
        text.IndexOfAny(['.', ',']) is var at and >= 0 ? Math.Pow(10, at + 1 - text.TrimEnd().Length) : 1;
}
