using Maschera.Core.Signals;
using Microsoft.Extensions.Caching.Memory;

namespace Maschera.Store;

/// <summary>Short channels, as logs have them by the dozen, held whole in memory once they were looked at.</summary>
internal static class HeldChannels
{
    /// <summary>Longer channels are read through their pyramid, samples.</summary>
    public const int MostSamples = 80_000;

    /// <summary>Samples held together: some 130 MB; beyond it the ones not looked at for longest go.</summary>
    private const long MostTogether = 10_000_000;

    private static readonly TimeSpan s_unused = TimeSpan.FromMinutes(20);
    private static readonly MemoryCache s_held = new(new MemoryCacheOptions { SizeLimit = MostTogether });

    /// <summary>The channel, from memory where it is held. Samples of a stored channel never change; its name and unit may.</summary>
    public static Channel Of(string connection, StoredChannel row, Func<Channel> load)
    {
        var held = s_held.GetOrCreate(
            Key(connection, row.Id, row.Count, row.End),
            entry =>
            {
                entry.Size = Math.Max(1, row.Count);
                entry.SlidingExpiration = s_unused;
                return load();
            }
        )!;
        return held with { Name = row.Name, Unit = row.Unit };
    }

    /// <summary>Lets go of a channel that is taken away.</summary>
    public static void Forget(string connection, StoredChannel row) => s_held.Remove(Key(connection, row.Id, row.Count, row.End));

    private static (string, int, int, double) Key(string connection, int channel, int count, double end) =>
        (connection, channel, count, end);
}
