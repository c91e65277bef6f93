using System.CommandLine;
using System.Text.Json;
using Maschera.Core.Diagnosis;
using Maschera.Core.Readings;
using Maschera.Formats;

namespace Maschera.Cli;

/// <summary>`decide CASE.json`: weighs everything known of a job, JSON out.</summary>
internal static class DecideCommand
{
    private static readonly Argument<string> s_case = new("CASE")
    {
        Description = "A JSON file: engine, complaints, codes, replaced, evidence.",
    };

    public static Command Create()
    {
        var command = new Command("decide", "Weighs what is known of a job: suspects, what is ruled out, what to check next.") { s_case };
        command.SetAction(Run);
        return command;
    }

    private static int Run(ParseResult words)
    {
        var path = words.GetValue(s_case)!;
        var name = Path.GetFileName(path);
        try
        {
            using var document = JsonDocument.Parse(TextFile.Load(path));
            Console.Out.WriteLine(JsonSerializer.Serialize(Decision.Of(document.RootElement), CliJson.Default.DecisionResult));
            return 0;
        }
        catch (JsonException error)
        {
            return Refuse($"{name}, line {error.LineNumber + 1}: is no JSON: {error.Message}");
        }
        catch (ReadingException error)
        {
            return Refuse($"{name}: {error.Message}");
        }
        catch (CaptureFormatException error)
        {
            return Refuse(error.Message);
        }
    }

    private static int Refuse(string why)
    {
        Console.Error.WriteLine(why.ReplaceLineEndings(" "));
        return ReadCommand.WrongWords;
    }
}
