using System.Text.RegularExpressions;

namespace Maschera.App;

/// <summary>A stretch of a capture that an address of the bench shows.</summary>
/// <param name="Capture">The capture's number.</param>
/// <param name="From">Start, s, as it is written there.</param>
/// <param name="To">End, s.</param>
public sealed partial record SavedView(int Capture, string From, string To)
{
    /// <summary>What the address shows; null where it is none of the bench, or shows no stretch.</summary>
    public static SavedView? Of(string? address) =>
        View().Match(address ?? "") is { Success: true } view && int.TryParse(view.Groups["capture"].Value, out var capture)
            ? new(capture, view.Groups["from"].Value, view.Groups["to"].Value)
            : null;

    /// <summary>Where the same is to be had as a picture.</summary>
    public string Picture => $"/bench/{Capture}/picture.svg?from={From}&to={To}";

    [GeneratedRegex(@"^/bench/(?<capture>\d+)\?(?=.*\bfrom=(?<from>-?[\d.]+))(?=.*\bto=(?<to>-?[\d.]+))")]
    private static partial Regex View();
}
