using System.Text.Json;
using Maschera.Core.Basics;
using Maschera.Core.Quantities;
using Maschera.Core.Signals;
using Maschera.Store;

namespace Maschera.App;

/// <summary>How a channel is drawn.</summary>
/// <param name="Channel">The channel's number.</param>
/// <param name="Unit">The unit it is shown in.</param>
/// <param name="Hidden">True where it is put aside.</param>
/// <param name="Invert">True where it is drawn upside down.</param>
/// <param name="Offset">Added after inverting, in the unit shown.</param>
/// <param name="Range">Bottom and top of its scale, in the unit shown; null to fit what is visible.</param>
/// <param name="Standing">True where the standing part is taken away.</param>
/// <param name="Smooth">lowpass or median; null for neither.</param>
/// <param name="SmoothBy">Hz for lowpass, samples for median.</param>
/// <param name="Copy">The smoothed copy that is drawn instead; null where there is none.</param>
/// <param name="As">The channel on whose scale it is drawn; null for a scale of its own.</param>
public sealed record LaneChannel(
    int Channel,
    string? Unit = null,
    bool Hidden = false,
    bool Invert = false,
    double Offset = 0,
    double[]? Range = null,
    bool Standing = false,
    string? Smooth = null,
    double SmoothBy = 0,
    int? Copy = null,
    int? As = null
);

/// <summary>A lane: its height in pixels (null to share the screen evenly) and what is drawn in it, from the front.</summary>
/// <param name="Shared">True where channels of the first one's unit lie on one scale.</param>
public sealed record Lane(int? Height, IReadOnlyList<LaneChannel> Channels, bool Shared = false);

/// <summary>A capture laid underneath: its time is stretched, then moved by <paramref name="Shift"/> seconds.</summary>
public sealed record Comparison(int Capture, double Shift, double Stretch)
{
    /// <summary>The channel underneath that belongs to one of ours: its namesake, else the only one of that unit on both.</summary>
    public static StoredChannel? Partner(StoredChannel own, StoredCapture capture, StoredCapture under)
    {
        var alike = under.OwnChannels.Where(c => c.Unit == own.Unit).ToList();
        return under.OwnChannels.FirstOrDefault(c => string.Equals(c.Name, own.Name, StringComparison.OrdinalIgnoreCase))
            ?? (alike.Count == 1 && capture.OwnChannels.Count(c => c.Unit == own.Unit) == 1 ? alike[0] : null);
    }
}

/// <summary>How a capture lies on the bench; kept with it.</summary>
public sealed record Arrangement(IReadOnlyList<Lane> Lanes, Comparison? Compare = null)
{
    /// <summary>Most lanes that can be told apart on any screen.</summary>
    public const int MostLanes = 64;

    /// <summary>A capture of more channels than this is first shown with like ones in one lane.</summary>
    private const int ManyLanes = 6;

    private const int LeastHeight = 60,
        MostHeight = 800;

    /// <summary>The kept arrangement without what is gone and with what is new; a lane for each channel where none is kept.</summary>
    public static Arrangement Of(StoredCapture capture)
    {
        var kept = capture.ArrangementJson is { } json
            ? JsonSerializer.Deserialize<Arrangement>(json, JsonSerializerOptions.Web)!
            : new Arrangement([]);
        var known = capture.Channels.Select(c => c.Id).ToHashSet();
        var lanes = kept
            .Lanes.Select(lane =>
                lane with
                {
                    Channels =
                    [
                        .. lane
                            .Channels.Where(c => known.Contains(c.Channel))
                            .Select(c =>
                                c.Copy is { } copy && !known.Contains(copy) ? c with { Copy = null, Standing = false, Smooth = null } : c
                            )
                            .Select(c => c.As is { } like && !known.Contains(like) ? c with { As = null } : c),
                    ],
                }
            )
            .Where(lane => lane.Channels.Count > 0)
            .ToList();
        var placed = lanes.SelectMany(lane => lane.Channels).Select(c => c.Channel).ToHashSet();
        lanes.AddRange(
            capture
                .OwnChannels.Where(c => !placed.Contains(c.Id))
                .Take(MostLanes - Math.Min(MostLanes, lanes.Count))
                .Select(c => new Lane(null, [new LaneChannel(c.Id, As: capture.ArrangementJson is null ? AlikeOf(c, capture) : null)]))
        );
        return kept with
        {
            Lanes =
                capture.ArrangementJson is null && lanes.Count > ManyLanes
                    ? LaneGroups.Of(capture, kept with { Lanes = lanes }, null)
                    : lanes,
        };
    }

    /// <summary>The first of the channels that are read against each other, speeds and the sides of one thing; null for itself.</summary>
    private static int? AlikeOf(StoredChannel channel, StoredCapture capture)
    {
        var isSpeed = UnitConversion.For(channel.Unit).Any(u => u.Unit == "km/h");
        var first = capture.OwnChannels.First(c =>
            c.Id == channel.Id || (c.Unit == channel.Unit && (isSpeed || SideNames.AreSides(c.Name, channel.Name)))
        );
        return first.Id == channel.Id ? null : first.Id;
    }

    /// <summary>The channel on whose scale one is drawn: the one it was laid on, or the first of its lane where they share.</summary>
    public LaneChannel ScaleOf(LaneChannel shown, StoredCapture capture)
    {
        string Unit(LaneChannel c) => c.Unit ?? capture.Channels.First(x => x.Id == c.Channel).Unit;
        if (shown.As is { } other && Lanes.SelectMany(l => l.Channels).FirstOrDefault(c => c.Channel == other) is { } like)
            return Unit(like) == Unit(shown) ? like : shown;
        var lane = Lanes.First(l => l.Channels.Any(c => c.Channel == shown.Channel));
        return lane.Shared && lane.Channels.FirstOrDefault(c => !c.Hidden) is { } first && Unit(first) == Unit(shown) ? first : shown;
    }

    /// <summary>What is wrong with an arrangement for this capture; null where nothing is.</summary>
    public string? Problem(StoredCapture capture)
    {
        if (Lanes.Count is 0 or > MostLanes)
            return $"A bench holds 1 to {MostLanes} lanes, not {Lanes.Count}.";
        if (Lanes.Any(lane => lane.Height is < LeastHeight or > MostHeight))
            return $"A lane is {LeastHeight} to {MostHeight} pixels high.";
        var placed = Lanes.SelectMany(lane => lane.Channels ?? []).ToList();
        if (placed.GroupBy(c => c.Channel).Any(g => g.Count() > 1))
            return "A channel lies in one lane only.";
        if (Compare is { } c && !(double.IsFinite(c.Shift) && c.Stretch is > 0 and < 1e6))
            return "The capture underneath needs a shift in seconds and a stretch above zero.";
        return placed.Select(p => Problem(p, capture)).FirstOrDefault(problem => problem is not null);
    }

    private static string? Problem(LaneChannel lane, StoredCapture capture)
    {
        var channel = capture.OwnChannels.FirstOrDefault(c => c.Id == lane.Channel);
        if (channel is null)
            return $"The capture has no channel {lane.Channel}.";
        if (lane.Unit is not null && UnitConversion.For(channel.Unit).All(u => u.Unit != lane.Unit))
            return $"{channel.Name} can't be shown in {lane.Unit}.";
        if (!double.IsFinite(lane.Offset))
            return $"The offset of {channel.Name} is not a number.";
        if (lane.Range is { } range && !(range.Length == 2 && range[0] < range[1] && double.IsFinite(range[1] - range[0])))
            return $"The scale of {channel.Name} needs a bottom below its top.";
        if (lane.As is { } like && (like == lane.Channel || capture.OwnChannels.All(c => c.Id != like)))
            return $"{channel.Name} can't lie on the scale of a channel that is not there.";
        if (lane.Copy is { } copy && capture.Channels.All(c => c.Id != copy || !c.IsLaneCopy))
            return $"The smoothed copy of {channel.Name} is gone; set the smoothing again.";
        return lane.Smooth is null or "lowpass" or "median" ? null : $"'{lane.Smooth}' is no way of smoothing.";
    }
}
