using System.CommandLine;
using Maschera.Cli;

var root = new RootCommand("Maschera: readings on captures, from the command line.")
{
    ReadCommand.Create(),
    InspectCommand.Create(),
    ConvertCommand.Create(),
    DecideCommand.Create(),
};
var parsed = root.Parse(args);
if (parsed.Errors.Count > 0)
{
    Console.Error.WriteLine(parsed.Errors[0].Message.ReplaceLineEndings(" "));
    return ReadCommand.WrongWords;
}

return parsed.Invoke();
