using Maschera.Core.Basics;
using Maschera.Core.Readings;
using Maschera.Core.Signals;

namespace Maschera.Formats;

/// <summary>What was understood of a file before it is read whole.</summary>
/// <param name="Kind">"CSV", "WAV", "bundle" or "CAN log".</param>
/// <param name="Channels">Its channels.</param>
/// <param name="Csv">The layout of a CSV file; null for WAV.</param>
/// <param name="Rate">Samples a second where the file tells it at once; else null.</param>
/// <param name="Bundle">What a bundle says of itself; null for other kinds.</param>
public sealed record FileOverview(string Kind, IReadOnlyList<ChannelInfo> Channels, CsvLayout? Csv, double? Rate, BundleHead? Bundle = null)
{
    /// <summary>Doubts of a kind that is read whole to be understood.</summary>
    public IReadOnlyList<Note> Notes { get; init; } = [];

    /// <summary>The roles of its channels: as a bundle says, else by name and unit; null for none.</summary>
    public IReadOnlyList<string?> Roles() =>
        Bundle is { } bundle ? [.. bundle.Channels.Select(c => c.Role)] : RoleGuess.OfAll([.. Channels.Select(c => (c.Name, c.Unit))]);
}

/// <summary>Any capture file, told by its content.</summary>
public static class CaptureFile
{
    /// <summary>Understands a file from its first bytes.</summary>
    /// <exception cref="CaptureFormatException">It can't be understood.</exception>
    /// <param name="description">The DBC file that goes with a CAN log; null without one.</param>
    public static FileOverview Inspect(string path, string name, DbcFile? description = null)
    {
        using var stream = Open(path, name);
        var head = Head(stream);
        if (WavFile.Begins(head))
        {
            var (channels, rate) = WavFile.Inspect(stream, name);
            return new FileOverview("WAV", channels, null, rate);
        }

        if (BundleFile.Begins(head))
        {
            var bundle = BundleFile.Inspect(stream, name);
            return new FileOverview("bundle", BundleFile.Infos(bundle), null, null, bundle);
        }

        if (IsCanLog(stream))
        {
            var (channels, notes) = CanLog.Inspect(stream, name, description);
            return new FileOverview("CAN log", channels, null, null) { Notes = notes };
        }

        var layout = CsvFile.Inspect(stream, name);
        return new FileOverview("CSV", layout.Channels, layout, layout.Interval is { } step ? 1 / step : null);
    }

    /// <summary>Streams a file into a sink.</summary>
    /// <exception cref="CaptureFormatException">It can't be read.</exception>
    public static IReadOnlyList<Note> Read(
        string path,
        string name,
        ICaptureSink sink,
        IProgress<long>? progress = null,
        DbcFile? description = null,
        CancellationToken cancel = default
    )
    {
        using var stream = Open(path, name);
        var head = Head(stream);
        if (WavFile.Begins(head))
            return WavFile.Read(stream, name, sink, progress, cancel);
        if (BundleFile.Begins(head))
            return BundleFile.Read(stream, name, sink, progress, cancel);
        if (IsCanLog(stream))
            return CanLog.Read(() => Open(path, name), name, description, sink, progress, cancel);

        var layout = CsvFile.Inspect(stream, name);
        stream.Position = 0;
        return CsvFile.Read(stream, layout, sink, progress, cancel);
    }

    /// <summary>Reads a file into memory, only the wanted channels.</summary>
    /// <exception cref="CaptureFormatException">It can't be read.</exception>
    public static Capture Load(
        string path,
        Func<ChannelInfo, bool>? wanted = null,
        DbcFile? description = null,
        CancellationToken cancel = default
    )
    {
        var sink = new MemorySink(wanted);
        var name = Path.GetFileName(path);
        var notes = Read(path, name, sink, null, description, cancel);
        return sink.ToCapture(name, notes);
    }

    private static FileStream Open(string path, string name)
    {
        try
        {
            return new FileStream(path, FileMode.Open, FileAccess.Read, FileShare.Read, 1);
        }
        catch (Exception error) when (error is FileNotFoundException or DirectoryNotFoundException)
        {
            throw new CaptureFormatException(name, "there is no such file.");
        }
        catch (Exception error) when (error is UnauthorizedAccessException or IOException)
        {
            throw new CaptureFormatException(name, $"can't be opened: {error.Message}");
        }
    }

    /// <summary>True where the first lines are frames as candump writes them; the stream stands at its beginning again.</summary>
    private static bool IsCanLog(FileStream stream)
    {
        var head = new byte[2_048];
        var length = stream.ReadAtLeast(head, head.Length, throwOnEndOfStream: false);
        stream.Position = 0;
        var text = System.Text.Encoding.Latin1.GetString(head, 0, length);
        return text.Contains('(', StringComparison.Ordinal)
            && CandumpFile.Begins(length == head.Length ? text[..(text.LastIndexOf('\n') + 1)] : text);
    }

    /// <summary>The first bytes; the stream stands at its beginning again.</summary>
    private static byte[] Head(FileStream stream)
    {
        var head = new byte[12];
        var length = stream.ReadAtLeast(head, head.Length, throwOnEndOfStream: false);
        stream.Position = 0;
        return head[..length];
    }
}
