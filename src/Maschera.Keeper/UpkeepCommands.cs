using System.CommandLine;
using System.Globalization;
using Maschera.Store;
using Maschera.Store.Upkeep;

namespace Maschera.Keeper;

/// <summary>`backup TO`, `restore FROM` and `doctor`.</summary>
internal static class UpkeepCommands
{
    private const int UsualDays = 30;

    private static readonly Option<string?> s_data = new("--data") { Description = "The data folder; the user's own where left out." };
    private static readonly Option<int> s_keep = new("--keep")
    {
        Description = "Days after which older backups go; the newest always stays.",
        DefaultValueFactory = _ => UsualDays,
    };

    private static readonly Argument<string> s_to = new("TO") { Description = "The folder the backup goes to." };
    private static readonly Argument<string> s_from = new("FROM") { Description = "The backup." };

    public static IEnumerable<Command> Create()
    {
        var backup = new Command("backup", "Copies the data folder's database, also while a server runs, and reads the copy back.")
        {
            s_to,
            s_data,
            s_keep,
        };
        backup.SetAction(words => Run(() => MakeBackup(words)));
        var restore = new Command("restore", "Brings a backup back; what was there is moved aside.") { s_from, s_data };
        restore.SetAction(words => Run(() => Restore(words)));
        var doctor = new Command("doctor", "Says what is wrong with a data folder and what to do.") { s_data };
        doctor.SetAction(words => Run(() => Doctor(words)));
        return [backup, restore, doctor];
    }

    private static string Folder(ParseResult words) => words.GetValue(s_data) ?? DataFolder.Usual;

    private static int MakeBackup(ParseResult words)
    {
        if (words.GetValue(s_keep) < 1)
            throw new UpkeepException("--keep takes days from 1 on.");
        var done = Backup.Make(Folder(words), words.GetValue(s_to)!, DateTime.UtcNow, words.GetValue(s_keep));
        Console.Out.WriteLine(
            $"{done.File}: {Counted(done.Checked)}, read back and sound"
                + (done.Removed.Count > 0 ? $"; {done.Removed.Count} older ones removed." : ".")
        );
        return 0;
    }

    private static int Restore(ParseResult words)
    {
        var data = new DataFolder(Folder(words));
        var aside = Backup.Restore(words.GetValue(s_from)!, data, DateTime.UtcNow);
        Console.Out.WriteLine($"{data.Database} is restored." + (aside is null ? "" : $" What was there lies in {aside}."));
        return 0;
    }

    private static int Doctor(ParseResult words)
    {
        var found = DataCheck.Of(Path.Combine(Folder(words), DataFolder.DatabaseName));
        foreach (var problem in found.Problems)
            Console.Error.WriteLine(problem);
        if (found.IsSound)
            Console.Out.WriteLine($"{Folder(words)} is sound: {Counted(found)}.");
        return found.IsSound ? 0 : Program.WrongWords;
    }

    private static string Counted(CheckedData found) =>
        string.Create(
            CultureInfo.InvariantCulture,
            $"{found.Jobs:N0} jobs, {found.Captures:N0} captures, {found.Blocks:N0} blocks of samples"
        );

    private static int Run(Func<int> act)
    {
        try
        {
            return act();
        }
        catch (Exception error) when (error is UpkeepException or IOException or UnauthorizedAccessException)
        {
            Console.Error.WriteLine(error.Message.ReplaceLineEndings(" "));
            return Program.WrongWords;
        }
    }
}
