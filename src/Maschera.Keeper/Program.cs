using System.CommandLine;

namespace Maschera.Keeper;

/// <summary>The command line of what works on a data folder.</summary>
internal static class Program
{
    /// <summary>Exit code of wrong words, a file that can't be read or a folder that can't be used.</summary>
    public const int WrongWords = 2;

    private static int Main(string[] words)
    {
        var root = new RootCommand("Maschera: what is kept in a data folder, from the command line.") { ImportCommand.Create() };
        foreach (var command in UpkeepCommands.Create())
            root.Add(command);
        var parsed = root.Parse(words);
        if (parsed.Errors.Count == 0)
            return parsed.Invoke();
        Console.Error.WriteLine(parsed.Errors[0].Message.ReplaceLineEndings(" "));
        return WrongWords;
    }
}
