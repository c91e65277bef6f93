using System.CommandLine;
using System.Text.Json;
using Maschera.Formats;

namespace Maschera.Cli;

/// <summary>`inspect CAPTURE`: what is understood of a file, every row read, as JSON.</summary>
internal static class InspectCommand
{
    private static readonly Argument<string> s_capture = new("CAPTURE") { Description = "A CSV or WAV file, or a bundle." };

    public static Command Create()
    {
        var command = new Command("inspect", "Reads a whole file and tells what was understood of it.") { s_capture };
        command.SetAction(Run);
        return command;
    }

    private static int Run(ParseResult words)
    {
        try
        {
            var path = words.GetValue(s_capture)!;
            var overview = CaptureFile.Inspect(path, Path.GetFileName(path));
            var capture = CaptureFile.Load(path);
            var told = new Inspected(
                capture.Name,
                overview.Kind,
                [
                    .. capture.Channels.Select(c => new InspectedChannel(
                        c.Name,
                        c.Unit,
                        c.Samples.Length,
                        c.Time.Start,
                        c.Time.End,
                        c.Time.IsUniform,
                        1 / c.Time.Step
                    )),
                ],
                capture.Notes
            );
            Console.Out.WriteLine(JsonSerializer.Serialize(told, CliJson.Default.Inspected));
            return 0;
        }
        catch (CaptureFormatException error)
        {
            Console.Error.WriteLine(error.Message.ReplaceLineEndings(" "));
            return ReadCommand.WrongWords;
        }
    }
}
