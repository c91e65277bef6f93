using System.CommandLine;
using System.Text.Json;
using Maschera.App;
using Maschera.Formats;
using Maschera.Store;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Keeper;

/// <summary>`import CAPTURE --job N`: brings a file into a job of the data folder.</summary>
internal static class ImportCommand
{
    private static readonly Argument<string> s_capture = new("CAPTURE") { Description = "A CSV or WAV file, a CAN log or a bundle." };
    private static readonly Option<string?> s_data = new("--data") { Description = "The data folder; the user's own where left out." };
    private static readonly Option<int?> s_job = new("--job") { Description = "The job's number; the newest open job where left out." };

    private static readonly Option<string?> s_dbc = new("--dbc") { Description = "The description of a CAN log's messages, a DBC file." };

    public static Command Create()
    {
        var command = new Command("import", "Brings a capture into a job.") { s_capture, s_data, s_job, s_dbc };
        command.SetAction((words, cancel) => Task.Run(() => Run(words, cancel), cancel));
        return command;
    }

    private static int Run(ParseResult words, CancellationToken cancel)
    {
        try
        {
            var told = Import(
                words.GetValue(s_capture)!,
                new DataFolder(words.GetValue(s_data) ?? DataFolder.Usual),
                words.GetValue(s_job),
                words.GetValue(s_dbc) is { } dbc ? DbcFile.Load(dbc) : null,
                cancel
            );
            Console.Out.WriteLine(JsonSerializer.Serialize(told, EngineFile.Json));
            return 0;
        }
        catch (Exception error) when (error is CaptureFormatException or InvalidOperationException)
        {
            Console.Error.WriteLine(error.Message.ReplaceLineEndings(" "));
            return Program.WrongWords;
        }
    }

    private static object Import(string path, DataFolder data, int? number, DbcFile? description, CancellationToken cancel)
    {
        using var db = new MascheraDb(MascheraDb.ForFile(data.Database));
        db.Prepare();
        var job = number is null
            ? db.LiveJobs.Where(j => j.ClosedAt == null).OrderByDescending(j => j.Id).FirstOrDefault()
            : db.LiveJobs.FirstOrDefault(j => j.Id == number);
        if (job is null)
            throw new InvalidOperationException(
                number is null
                    ? "There is no open job to import into; take one in first, or name another --data."
                    : $"There is no job {number} in this data folder."
            );
        var name = Path.GetFileName(path);
        var overview = CaptureFile.Inspect(path, name, description);
        var roles = overview.Roles();
        var capture = StoredCapture.Of(
            job.Id,
            overview.Bundle?.Name ?? Path.GetFileNameWithoutExtension(name),
            IntakeGuess.Conditions(overview, roles)
        );
        var intake = new CaptureIntake(db, new ReadingService(db, new SampleStore(db)));
        intake.Take(
            capture,
            [.. overview.Channels.Select((c, i) => new ChannelChoice(c.Name, c.Unit, 1, roles[i]))],
            sink => CaptureFile.Read(path, name, sink, description: description, cancel: cancel),
            cancel
        );
        return new
        {
            capture = capture.Id,
            job = job.Id,
            channels = db
                .Channels.Where(c => c.CaptureId == capture.Id)
                .OrderBy(c => c.Ordinal)
                .Select(c => new
                {
                    c.Name,
                    c.Role,
                    c.Unit,
                    c.Count,
                    c.Start,
                    c.Step,
                })
                .ToList(),
            capture.Conditions,
            capture.Notes,
            readings = db
                .Readings.Where(r => r.CaptureId == capture.Id)
                .Select(r => new
                {
                    r.Kind,
                    r.Verdict,
                    r.Sentence,
                })
                .ToList(),
        };
    }
}
