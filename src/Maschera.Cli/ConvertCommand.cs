using System.CommandLine;
using System.Text.Json;
using Maschera.Core.Basics;
using Maschera.Core.Signals;
using Maschera.Formats;

namespace Maschera.Cli;

/// <summary>`convert CAPTURE --out FILE`: a capture, or a stretch of some of its channels, as CSV, WAV or bundle.</summary>
internal static class ConvertCommand
{
    private static readonly Argument<string> s_capture = new("CAPTURE") { Description = "A CSV or WAV file, a CAN log or a bundle." };
    private static readonly Option<string> s_out = new("--out") { Description = "The file to write: .csv, .wav or .zip.", Required = true };
    private static readonly Option<string?> s_from = new("--from") { Description = "Where the stretch begins, s." };
    private static readonly Option<string?> s_to = new("--to") { Description = "Where it ends, s." };
    private static readonly Option<string[]> s_channel = new("--channel") { Description = "A channel to take; all where left out." };
    private static readonly Option<string?> s_dbc = new("--dbc") { Description = "The description of a CAN log's messages, a DBC file." };

    public static Command Create()
    {
        var command = new Command("convert", "Writes a capture in another open format.")
        {
            s_capture,
            s_out,
            s_from,
            s_to,
            s_channel,
            s_dbc,
        };
        command.SetAction((words, cancel) => Task.Run(() => Run(words, cancel), cancel));
        return command;
    }

    private static int Run(ParseResult words, CancellationToken cancel)
    {
        try
        {
            var written = Convert(words, cancel);
            Console.Out.WriteLine(JsonSerializer.Serialize(written, CliJson.Default.Written));
            return 0;
        }
        catch (Exception error)
            when (error is CaptureFormatException or InvalidOperationException or IOException or UnauthorizedAccessException)
        {
            Console.Error.WriteLine(error.Message.ReplaceLineEndings(" "));
            return ReadCommand.WrongWords;
        }
    }

    private static Written Convert(ParseResult words, CancellationToken cancel)
    {
        var path = words.GetValue(s_capture)!;
        var to = words.GetValue(s_out)!;
        var format = Path.GetExtension(to).ToLowerInvariant();
        if (format is not (".csv" or ".wav" or ".zip"))
            throw new InvalidOperationException($"'{to}' ends in no format that can be written: .csv, .wav or .zip for a bundle.");
        if (File.Exists(to))
            throw new InvalidOperationException($"{to} is there already: name another file, or delete it first.");
        var description = words.GetValue(s_dbc) is { } dbc ? DbcFile.Load(dbc) : null;
        var overview = CaptureFile.Inspect(path, Path.GetFileName(path), description);
        var capture = CaptureFile.Load(path, description: description, cancel: cancel);
        var roles = overview.Roles();
        var (begin, end) = Stretch(words.GetValue(s_from), words.GetValue(s_to));
        var channels = Chosen(capture, words.GetValue(s_channel) ?? [])
            .Select(c => new OutgoingChannel(
                new MemoryReader(c).Cut(begin, end),
                roles.ElementAtOrDefault(capture.Channels.ToList().IndexOf(c))
            ))
            .ToList();
        if (channels.TrueForAll(c => c.Reader.Count == 0))
            throw new InvalidOperationException(
                $"No samples lie there: {path} goes from {capture.Channels.Min(c => c.Time.Start):0.###} to "
                    + $"{capture.Channels.Max(c => c.Time.End):0.###} s."
            );
        Write(to, format, overview, capture, channels, cancel);
        return new Written(to, [.. channels.Select(c => new WrittenChannel(c.Reader.Name, c.Reader.Unit, c.Reader.Count))], capture.Notes);
    }

    /// <summary>Written beside its place and then moved there: a whole file or none.</summary>
    private static void Write(
        string to,
        string format,
        FileOverview overview,
        Capture capture,
        List<OutgoingChannel> channels,
        CancellationToken cancel
    )
    {
        var half = $"{to}.{Guid.NewGuid():N}.half";
        try
        {
            using (var file = new FileStream(half, FileMode.CreateNew, FileAccess.ReadWrite))
            {
                if (format == ".csv")
                    CaptureExport.WriteCsv(file, [.. channels.Select(c => c.Reader)], cancel);
                else if (format == ".wav")
                    CaptureExport.WriteWav(file, Path.GetFileName(to), [.. channels.Select(c => c.Reader)], cancel);
                else
                    BundleFile.Write(
                        file,
                        overview.Bundle?.Name ?? Path.GetFileNameWithoutExtension(capture.Name),
                        overview.Bundle?.TakenAt ?? DateTime.UtcNow,
                        overview.Bundle?.Conditions ?? new Dictionary<string, string>(),
                        capture.Notes,
                        channels,
                        cancel
                    );
            }

            File.Move(half, to);
        }
        finally
        {
            File.Delete(half);
        }
    }

    private static (double? From, double? To) Stretch(string? from, string? to)
    {
        double? Second(string? text, string word) =>
            text is null
                ? null
                : TypedNumber.Parse(text) ?? throw new InvalidOperationException($"--{word} takes seconds, and '{text}' is none.");
        var (begin, end) = (Second(from, "from"), Second(to, "to"));
        return begin >= end
            ? throw new InvalidOperationException($"The stretch ends at {to} s, before it begins at {from} s.")
            : (begin, end);
    }

    private static IEnumerable<Channel> Chosen(Capture capture, string[] names) =>
        names.Length == 0
            ? capture.Channels
            : names.Select(name =>
                capture.Channels.FirstOrDefault(c => c.Name.Equals(name, StringComparison.OrdinalIgnoreCase))
                ?? throw new InvalidOperationException(
                    $"There is no channel '{name}' in {capture.Name}: it has "
                        + $"{string.Join(", ", capture.Channels.Select(c => $"'{c.Name}'"))}."
                )
            );
}
