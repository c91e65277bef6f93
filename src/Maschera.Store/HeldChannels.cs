using System.Collections.Concurrent;
using Maschera.Core.Signals;

namespace Maschera.Store;

/// <summary>Short channels, as logs have them by the dozen, held whole in memory once they were looked at.</summary>
internal static class HeldChannels
{
    /// <summary>Longer channels are read through their pyramid, samples.</summary>
    public const int MostSamples = 80_000;

    /// <summary>Samples held together; beyond it all are let go and looked at anew: some 130 MB.</summary>
    private const long MostTogether = 10_000_000;

    private static readonly ConcurrentDictionary<(string, int, int, double), Channel> s_held = new();
    private static long s_samples;

    /// <summary>The channel, from memory where it is held. Samples of a stored channel never change.</summary>
    public static Channel Of(string connection, StoredChannel row, Func<Channel> load)
    {
        var key = (connection, row.Id, row.Count, row.End);
        if (s_held.TryGetValue(key, out var held)) return held;
        if (Interlocked.Add(ref s_samples, row.Count) > MostTogether)
        {
            s_held.Clear();
            Interlocked.Exchange(ref s_samples, row.Count);
        }

        return s_held[key] = load();
    }
}
