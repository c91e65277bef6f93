using System.CommandLine;
using System.Text.Encodings.Web;
using System.Text.Json;
using Maschera.Core.Basics;
using Maschera.Core.Engines;
using Maschera.Core.Readings;
using Maschera.Core.Signals;
using Maschera.Formats;

namespace Maschera.Cli;

/// <summary>`read KIND CAPTURE …`: one JSON object on standard output, nothing else there.</summary>
internal static class ReadCommand
{
    /// <summary>Exit code of wrong words or a file that can't be read.</summary>
    public const int WrongWords = 2;

    private static readonly JsonWriterOptions s_written = new() { Indented = true, Encoder = JavaScriptEncoder.UnsafeRelaxedJsonEscaping };

    private static readonly Argument<string> s_kind = new("KIND")
    {
        Description = "Which reading: " + string.Join(", ", ReadingRegistry.All.Select(r => r.Kind)),
    };
    private static readonly Argument<string> s_capture = new("CAPTURE") { Description = "A CSV or WAV file, or a bundle." };
    private static readonly Option<string?> s_engine = new("--engine") { Description = "The engine file, JSON." };
    private static readonly Option<string[]> s_channel = new("--channel") { Description = "ROLE=COLUMN; may be repeated." };
    private static readonly Option<string[]> s_probe = new("--probe")
    {
        Description = "COLUMN=SCALE, what the column is multiplied by; may be repeated.",
    };
    private static readonly Option<string[]> s_reference = new("--reference")
    {
        Description = "A known-good capture to compare with; several give a mean with a spread.",
    };
    private static readonly Option<string[]> s_referenceChannel = new("--reference-channel")
    {
        Description = "ROLE=COLUMN of the reference; the same columns as the capture's where left out.",
    };
    private static readonly Option<string[]> s_supply = new("--supply")
    {
        Description = "COLUMN=VOLTS, a column that is, or is fed from, a supply; may be repeated.",
    };
    private static readonly Option<string?> s_dbc = new("--dbc") { Description = "The description of a CAN log's messages, a DBC file." };
    private static readonly Option<double?> s_from = new("--from") { Description = "Start of the stretch to use, s." };
    private static readonly Option<double?> s_to = new("--to") { Description = "End of the stretch to use, s." };
    private static readonly Dictionary<string, Option<string?>> s_own = ReadingRegistry
        .All.SelectMany(r => r.Options)
        .DistinctBy(o => o.Name)
        .ToDictionary(o => o.Name, o => new Option<string?>("--" + o.Name) { Description = Described(o) });

    public static Command Create()
    {
        var command = new Command("read", "Makes a reading and prints it as JSON.")
        {
            s_kind,
            s_capture,
            s_engine,
            s_channel,
            s_probe,
            s_reference,
            s_referenceChannel,
            s_supply,
            s_dbc,
            s_from,
            s_to,
        };
        foreach (var option in s_own.Values)
            command.Add(option);
        command.SetAction(Run);
        return command;
    }

    private static int Run(ParseResult words)
    {
        try
        {
            Print(Read(words));
            return 0;
        }
        catch (Exception error) when (error is ReadingException or CaptureFormatException)
        {
            Console.Error.WriteLine(error.Message.ReplaceLineEndings(" "));
            return WrongWords;
        }
    }

    /// <summary>The result, as the contract says, and a new line.</summary>
    private static void Print(ReadingResult result)
    {
        using var output = Console.OpenStandardOutput();
        using (var writer = new Utf8JsonWriter(output, s_written))
            JsonSerializer.Serialize(writer, result, ReadingRegistry.Find(result.Reading)!.ResultJson);
        output.WriteByte((byte)'\n');
    }

    private static ReadingResult Read(ParseResult words)
    {
        var kind = words.GetValue(s_kind)!;
        var reading =
            ReadingRegistry.Find(kind)
            ?? throw new ReadingException(
                $"There is no reading '{kind}'; there are {string.Join(", ", ReadingRegistry.All.Select(r => r.Kind))}."
            );
        var engine = words.GetValue(s_engine) is { } path ? EngineFile.Load(path) : null;
        var roles = Pairs(words.GetValue(s_channel), "--channel", "ROLE=COLUMN");
        if (reading.ReadsMessages)
            return reading.Read(
                new ReadingRequest(new Capture(words.GetValue(s_capture)!, [], []))
                {
                    Messages = CandumpFile.LoadMessages(words.GetValue(s_capture)!),
                }
            );
        if (reading.ReadsSheet)
            return reading.Read(
                new ReadingRequest(new Capture(words.GetValue(s_capture)!, [], []))
                {
                    Sheet = CircuitSheetFile.Load(words.GetValue(s_capture)!),
                }
            );
        var description = words.GetValue(s_dbc) is { } dbc ? DbcFile.Load(dbc) : null;
        var probes = Pairs(words.GetValue(s_probe), "--probe", "COLUMN=SCALE").ToDictionary(p => p.Key, p => Scale(p.Key, p.Value));
        var capture = CaptureFile.Load(words.GetValue(s_capture)!, description: description);
        if (probes.Keys.FirstOrDefault(column => capture.Find(column) is null) is { } missing)
            throw new ReadingException($"{capture.Name}: --probe: there is no column '{missing}'.");
        capture = Probed(capture, probes);
        var good = (words.GetValue(s_reference) ?? []).Select(file => Probed(CaptureFile.Load(file), probes)).ToList();
        var goodRoles = Pairs(words.GetValue(s_referenceChannel), "--reference-channel", "ROLE=COLUMN");
        if (good.Count > 0 && !reading.TakesReference)
            throw new ReadingException($"{kind} takes no --reference.");
        var result = reading.Read(
            new ReadingRequest(capture)
            {
                Reference = good.FirstOrDefault(),
                ReferenceChannels = goodRoles,
                MoreReferences = [.. good.Skip(1).Select(file => new KnownGood(file, goodRoles))],
                Engine = engine,
                Supplies = Pairs(words.GetValue(s_supply), "--supply", "COLUMN=VOLTS").ToDictionary(p => p.Key, p => Volts(p.Key, p.Value)),
                Channels = roles,
                Options = s_own.Where(o => words.GetValue(o.Value) is not null).ToDictionary(o => o.Key, o => words.GetValue(o.Value)!),
                From = words.GetValue(s_from),
                To = words.GetValue(s_to),
            }
        );
        return result with { Notes = [.. capture.Notes, .. good.SelectMany(OfReference), .. result.Notes] };
    }

    /// <summary>What there was to doubt about a reference's file.</summary>
    private static IEnumerable<Note> OfReference(Capture good) => good.Notes.Select(n => n with { Text = $"{good.Name}: {n.Text}" });

    private static double Volts(string column, string text) =>
        TypedNumber.Parse(text) is { } volts and > 0
            ? volts
            : throw new ReadingException($"--supply {column}: '{text}' is not a voltage above zero.");

    private static double Scale(string column, string text) =>
        TypedNumber.Parse(text) is { } scale && scale != 0
            ? scale
            : throw new ReadingException($"--probe {column}: '{text}' is not a scale.");

    private static string Described(ReadingOption option) =>
        $"{option.Label}{(option.Unit is { } unit ? $", {unit}" : "")}"
        + (option.Choices.Count > 0 ? $": {string.Join(", ", option.Choices.Select(c => c.Word))}" : "")
        + (option.Usual is { } usual ? $"; {usual} where left out." : ".");

    private static Dictionary<string, string> Pairs(string[]? words, string option, string form)
    {
        var pairs = new Dictionary<string, string>();
        foreach (var word in words ?? [])
        {
            var cut = word.IndexOf('=');
            if (cut <= 0 || cut == word.Length - 1)
                throw new ReadingException($"{option} takes {form}, not '{word}'.");
            pairs[word[..cut]] = word[(cut + 1)..];
        }

        return pairs;
    }

    /// <summary>The capture with its probes' scales; columns it has not are another capture's.</summary>
    private static Capture Probed(Capture capture, Dictionary<string, double> probes)
    {
        var scales = probes
            .Select(p => (Channel: capture.Find(p.Key), p.Value))
            .Where(p => p.Channel is not null)
            .ToDictionary(p => p.Channel!, p => p.Value);
        return capture with { Channels = [.. capture.Channels.Select(c => scales.TryGetValue(c, out var scale) ? c.Scaled(scale) : c)] };
    }
}
