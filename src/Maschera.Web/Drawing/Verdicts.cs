namespace Maschera.Web.Drawing;

/// <summary>How a verdict is shown: never by colour alone.</summary>
public static class Verdicts
{
    private static readonly HashSet<string> s_fine = ["even", "ok", "normal", "none", "steady", "pass", "tracks", "plausible"];
    private static readonly HashSet<string> s_watch = ["watch", "varies"];

    /// <summary>The style of a verdict: fine, watch, grey or stamp.</summary>
    public static string Style(string verdict) =>
        verdict == Maschera.Core.Readings.ReadingResult.Unusable ? "grey" : s_fine.Contains(verdict) ? "fine" : s_watch.Contains(verdict) ? "watch" : "stamp";
}
