using System.Text.RegularExpressions;
using Maschera.Core.Signals;

namespace Maschera.Core.Readings.PressureHold;

/// <summary>When a pump stands, by its command, current, voltage or state.</summary>
internal static partial class PumpSwitch
{
    /// <summary>The pump runs beyond this share of its largest departure from nothing.</summary>
    private const double Running = 0.3;

    /// <summary>A pump whose signal never falls below this share of its level never stops.</summary>
    private const double NeverOff = 0.5;

    /// <summary>Pumps pause for less without stopping, s.</summary>
    private const double ShortestStop = 1;

    /// <summary>From each stop to the next start or the end, and whether the stop lies inside the file.</summary>
    public static IEnumerable<(double From, double To, bool KnowsStop)> Holds(Channel pump, Channel pressure)
    {
        var samples = pump.Samples;
        var off = pump.Words is { } words ? OffWord(words, samples) : 0;
        var sizes = samples.Select(v => (double)Math.Abs(v - off)).ToArray();
        var sorted = Statistics.Sorted(sizes);
        var (low, high) = (Statistics.Quantile(sorted, 0.02), Statistics.Quantile(sorted, 0.995));
        var most = sorted.Length > 0 ? Math.Max(high, Statistics.Quantile(sorted, 0.9995)) : 0;
        if (low > NeverOff * most && most > 0)
            yield break;
        double? since = IsOn(0) ? null : pump.Time.Start;
        var known = false;
        for (var i = 1; i < samples.Length; i++)
        {
            var on = IsOn(i);
            if (on && since is { } from)
            {
                if (pump.Time[i] - from > ShortestStop && (known || from > pump.Time.Start))
                    yield return (from, pump.Time[i - 1], known);
                since = null;
            }
            else if (!on && since is null && !IsOnSoon(i))
                (since, known) = ((pump.Time[i] + pump.Time[i - 1]) / 2, true);
        }

        if (since is { } open)
            yield return (open, pressure.Time.End, known);

        bool IsOn(int i) => sizes[i] > Running * most;

        bool IsOnSoon(int i)
        {
            for (var k = i; k < samples.Length && pump.Time[k] < pump.Time[i] + ShortestStop / 4; k++)
                if (IsOn(k))
                    return true;
            return false;
        }
    }

    /// <summary>The word that says so; else the one beside a word for running; else the one that stands longest, as holds do.</summary>
    private static float OffWord(IReadOnlyList<string> words, float[] samples)
    {
        var known = samples.Where(float.IsFinite).ToList();
        var off = Enumerable.Range(0, words.Count).Where(w => Off().IsMatch(words[w].Trim())).ToList();
        var left = Enumerable.Range(0, words.Count).Where(w => !On().IsMatch(words[w].Trim())).ToList();
        var may = off.Count > 0 ? off : left;
        return may.Count == 0 ? float.NaN : may.MaxBy(w => known.Count(v => (int)v == w));
    }

    [GeneratedRegex(
        @"^(?:0|off|aus|no|nein|false|inactive|inaktiv|stop.*|stand.*|steht|not\b.*|open|released|low|arrêt|spento)$",
        RegexOptions.IgnoreCase | RegexOptions.CultureInvariant
    )]
    private static partial Regex Off();

    [GeneratedRegex(
        @"^(?:1|on|ein|an|yes|ja|true|active|aktiv|run.*|läuft|closed|high|marche|acceso)$",
        RegexOptions.IgnoreCase | RegexOptions.CultureInvariant
    )]
    private static partial Regex On();
}
