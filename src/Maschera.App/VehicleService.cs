using System.Text;
using System.Text.Json;
using Maschera.Core.Readings;
using Maschera.Core.Vehicle;
using Maschera.Formats;
using Maschera.Instruments;
using Maschera.Rig.Vehicle;
using Maschera.Store;

namespace Maschera.App;

/// <summary>Takes what a vehicle says into a job: codes, freeze frame, on-board tests, a log of live values.</summary>
public sealed class VehicleService(MascheraDb db, CaptureIntake intake, ReadingService readings)
{
    /// <summary>Reads codes of every state, the freeze frame and the on-board tests.</summary>
    /// <exception cref="VehicleException">Nobody answers.</exception>
    public async Task<VehicleFacts> LookAsync(Job job, ICanAdapter adapter, Func<double>? clock, CancellationToken cancel)
    {
        var (start, tester) = (DateTime.UtcNow, new DiagnosticTester(adapter, clock));
        var facts = await VehicleCheck.ReadAsync(tester, cancel);
        KeepExchange(job, $"Codes and on-board tests, {adapter.Name.ToLowerInvariant()}", tester.LogText(start));
        return facts;
    }

    /// <summary>Logs live values and keeps them as a capture; returns its number.</summary>
    /// <exception cref="VehicleException">Nobody answers.</exception>
    public async Task<int> LogAsync(Job job, ICanAdapter adapter, Func<double>? clock, Func<bool> goOn, CancellationToken cancel)
    {
        var (start, tester) = (DateTime.UtcNow, new DiagnosticTester(adapter, clock));
        await VehicleCheck.LogAsync(tester, goOn, cancel);
        var log = Encoding.Latin1.GetBytes(tester.LogText(start));
        // Refused here where nobody answered, before a capture is begun.
        CanLog.Inspect(new MemoryStream(log), "live values", null, cancel);
        var stored = new StoredCapture
        {
            JobId = job.Id,
            Name = $"Live values, {adapter.Name.ToLowerInvariant()}",
            TakenAt = start,
            Conditions = new Conditions(null, null, null, "Logged through the diagnostic socket"),
        };
        return intake.Take(
            stored,
            null,
            sink => CanLog.Read(() => new MemoryStream(log), "live values", null, sink, cancel: cancel),
            cancel
        );
    }

    /// <summary>Keeps an exchange as text, takes its codes and freeze frame into the job, and decodes its on-board tests.</summary>
    /// <exception cref="CaptureFormatException">It is no exchange.</exception>
    public int KeepExchange(Job job, string name, string text)
    {
        var messages = CandumpFile.ReadMessages(text, name).Messages;
        var facts = VehicleFacts.Of(messages);
        foreach (var code in facts.Codes)
            Add(
                job.Id,
                new WrittenCode(code.Code, CodeMeanings.Of(code.Code), code.Module, code.State),
                code.Code == facts.FrozenCode && code.State == CodeStates.Stored && facts.Frozen.Count > 0
                    ? JsonSerializer.Serialize(facts.Frozen, JsonSerializerOptions.Web)
                    : null
            );
        var stored = new StoredCapture
        {
            JobId = job.Id,
            Name = name,
            TakenAt = DateTime.UtcNow,
            Conditions = new Conditions(null, null, null, null),
            Exchange = text,
        };
        var id = intake.TakeExchange(stored);
        // An exchange that only holds codes has nothing to decode beyond them; one that holds nothing is told so.
        if (facts.Codes.Count == 0 && !db.Readings.Any(r => r.CaptureId == id))
            foreach (var reading in ReadingRegistry.All.Where(r => r.ReadsMessages))
                readings.Make(new ReadingAsked(id, reading.Kind));
        return id;
    }

    /// <summary>Adds a code, or brings one that is there already up to date.</summary>
    public void Add(int job, WrittenCode code, string? frozen = null)
    {
        var there = db
            .Codes.Local.Concat(db.Codes.Where(c => c.JobId == job && c.DeletedAt == null))
            .FirstOrDefault(c =>
                c.JobId == job && c.DeletedAt == null && c.Code == code.Code && c.Module == code.Module && c.State == code.State
            );
        if (there is null)
            db.Codes.Add(
                there = new StoredCode
                {
                    JobId = job,
                    Code = code.Code,
                    Module = code.Module,
                    State = code.State,
                    SeenAt = DateTime.UtcNow,
                }
            );
        if (code.Text.Length > 0)
            there.Text = code.Text;
        there.FrozenJson = frozen ?? there.FrozenJson;
    }
}
