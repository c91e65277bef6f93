using Maschera.Core.Signals;

namespace Maschera.Formats;

/// <summary>What no capture file needs more of: refused with a sentence before memory is spent on it.</summary>
public static class FileLimits
{
    /// <summary>Channels of a file.</summary>
    public const int MostChannels = 512;

    /// <summary>Letters of a channel's name.</summary>
    public const int LongestName = 200;

    /// <summary>Refuses too many channels.</summary>
    /// <exception cref="CaptureFormatException">There are more than <see cref="MostChannels"/>.</exception>
    public static void CheckCount(string file, long line, int channels)
    {
        if (channels > MostChannels)
            throw new CaptureFormatException(
                file,
                line,
                $"holds {channels:N0} channels; {MostChannels} are the most. Export fewer of them, or in several files."
            );
    }

    /// <summary>Refuses too many channels and names that are none.</summary>
    /// <exception cref="CaptureFormatException">There are more than <see cref="MostChannels"/>, or a name is too long.</exception>
    public static void Check(string file, long line, IReadOnlyList<ChannelInfo> channels)
    {
        CheckCount(file, line, channels.Count);
        if (channels.FirstOrDefault(c => c.Name.Length > LongestName) is { } named)
            throw new CaptureFormatException(
                file,
                line,
                $"the channel that begins '{named.Name[..20]}' has a name of {named.Name.Length:N0} letters; {LongestName} are the most."
            );
    }
}
