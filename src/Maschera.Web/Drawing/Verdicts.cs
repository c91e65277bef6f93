using Maschera.Core.Basics;
using Maschera.Core.Readings;
using Maschera.Store;

namespace Maschera.Web.Drawing;

/// <summary>How a verdict is shown: never by colour alone.</summary>
public static class Verdicts
{
    /// <summary>The style of a tone: fine, watch, grey or stamp.</summary>
    public static string Style(this Verdict verdict) =>
        verdict.Tone switch
        {
            Tone.Fine => "fine",
            Tone.Watch => "watch",
            Tone.Unusable => "grey",
            _ => "stamp",
        };

    /// <summary>The verdict of a kept reading.</summary>
    public static Verdict Of(StoredReading reading) =>
        ReadingRegistry.Find(reading.Kind)?.VerdictOf(reading.Verdict) ?? new Verdict(reading.Verdict, Tone.Watch, reading.Verdict);
}
