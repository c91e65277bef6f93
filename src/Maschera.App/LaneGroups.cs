using Maschera.Core.Quantities;
using Maschera.Store;

namespace Maschera.App;

/// <summary>Like channels of a log in one lane.</summary>
public static class LaneGroups
{
    /// <summary>More lines than this in one lane can't be told apart.</summary>
    private const int MostInLane = 4;

    /// <summary>One lane for each pair of desired and actual, and one for each quantity or unit that several channels share.</summary>
    public static IReadOnlyList<Lane> Of(StoredCapture capture, Arrangement kept, IReadOnlyDictionary<string, string>? corrected)
    {
        var drawn = kept.Lanes.SelectMany(l => l.Channels).ToDictionary(c => c.Channel);
        var pairs = QuantityPairs.Find([.. capture.OwnChannels.Select(c => c.Name)]);
        string Group(StoredChannel channel) =>
            pairs.FirstOrDefault(p => p.Desired == channel.Name || p.Actual == channel.Name) is { } pair ? "pair " + pair.Stem
            : KnownQuantities.Of(channel.Name, channel.Unit, corrected) is { Group: "Temperature" or "Demand" } known
                ? known.Group + channel.Unit
            : capture.OwnChannels.Count(c => c.Unit == channel.Unit && c.Unit.Length > 0) > 2 ? "unit " + channel.Unit
            : "own " + channel.Id;
        return
        [
            .. capture
                .OwnChannels.GroupBy(Group)
                .SelectMany(g => g.Chunk(MostInLane))
                .Select(g => new Lane(null, [.. g.Select(c => drawn.GetValueOrDefault(c.Id) ?? new LaneChannel(c.Id))], Shared: true)),
        ];
    }
}
