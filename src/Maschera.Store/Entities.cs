using System.Text.Json;
using Maschera.Core.Basics;
using Maschera.Core.Engines;
using Maschera.Core.Expressions;
using Maschera.Core.Quantities;
using Maschera.Core.Readings;
using Maschera.Core.Vehicle;
using Maschera.Store.People;

namespace Maschera.Store;

/// <summary>An engine kept for use in many jobs; its fields as JSON, as in an engine file.</summary>
public sealed class StoredEngine
{
    public int Id { get; set; }
    public string Name { get; set; } = "";
    public string Json { get; set; } = "{}";

    /// <summary>When it was deleted, UTC; jobs of it keep it. Null while it is offered.</summary>
    public DateTime? DeletedAt { get; set; }

    public Engine ToEngine() => JsonSerializer.Deserialize<Engine>(Json, StoreJson.Options)!;

    public void Take(Engine engine)
    {
        Name = engine.Name;
        Json = JsonSerializer.Serialize(engine, StoreJson.Options);
    }
}

/// <summary>One vehicle with one complaint, from intake to report.</summary>
public sealed class Job : IDoneBy
{
    public int Id { get; set; }
    public string Vehicle { get; set; } = "";
    public string? Plate { get; set; }
    public int? OdometerKm { get; set; }
    public string Complaint { get; set; } = "";
    public string? WhenItHappens { get; set; }
    public string? EarlierRepairs { get; set; }
    public int EngineId { get; set; }
    public StoredEngine? Engine { get; set; }
    public DateTime CreatedAt { get; set; }
    public DateTime? ClosedAt { get; set; }

    /// <summary>When trouble codes were last cleared; null where nobody said.</summary>
    public DateTime? CodesClearedAt { get; set; }

    /// <summary>When the battery was last disconnected.</summary>
    public DateTime? BatteryOffAt { get; set; }

    /// <summary>Battery voltage at rest, V.</summary>
    public double? BatteryVolts { get; set; }

    /// <summary>Deleted jobs stay for a week, so that deleting can be undone.</summary>
    public DateTime? DeletedAt { get; set; }

    /// <summary>What it turned out to be, a word of the diagnosis; null where nobody said.</summary>
    public string? FoundFault { get; set; }

    /// <summary>The cylinder it was at; null for none.</summary>
    public int? FoundCylinder { get; set; }

    /// <summary>The wheel it was at; null for none.</summary>
    public string? FoundWheel { get; set; }

    /// <summary>When that was said, UTC.</summary>
    public DateTime? FoundAt { get; set; }

    public List<StoredCapture> Captures { get; } = [];
    public List<StoredReading> Readings { get; } = [];
    public List<StoredRemark> Remarks { get; } = [];
    public List<StoredWork> Work { get; } = [];
    public List<StoredCode> Codes { get; } = [];
    public List<StoredObservation> Observations { get; } = [];

    /// <inheritdoc/>
    public string? By { get; set; }
}

/// <summary>A trouble code of a job.</summary>
public sealed class StoredCode : IDoneBy
{
    public int Id { get; set; }
    public int JobId { get; set; }
    public string Code { get; set; } = "";
    public string Text { get; set; } = "";
    public string Module { get; set; } = "";

    /// <summary>One of <see cref="Core.Vehicle.CodeStates"/>.</summary>
    public string State { get; set; } = "";

    /// <summary>Its freeze frame as name, value and unit, JSON; null without one.</summary>
    public string? FrozenJson { get; set; }

    public DateTime SeenAt { get; set; }
    public DateTime? DeletedAt { get; set; }

    /// <inheritdoc/>
    public string? By { get; set; }
}

/// <summary>What somebody saw at a vehicle without an instrument, or a part that was replaced before.</summary>
public sealed class StoredObservation : IDoneBy
{
    public int Id { get; set; }
    public int JobId { get; set; }

    /// <summary>A word of the diagnosis: something to be seen, or the fault that a replaced part would cure.</summary>
    public string Word { get; set; } = "";

    /// <summary>True for a part that was replaced; false for something seen.</summary>
    public bool IsReplacedPart { get; set; }

    /// <summary>False where it was looked for and not there.</summary>
    public bool Present { get; set; } = true;

    /// <summary>The cylinder it belongs to; null for none.</summary>
    public int? Cylinder { get; set; }

    /// <summary>The wheel it belongs to; null for none.</summary>
    public string? Wheel { get; set; }

    /// <summary>The part that was swapped; null where nothing was.</summary>
    public string? Part { get; set; }

    public DateTime SeenAt { get; set; }
    public DateTime? DeletedAt { get; set; }

    /// <inheritdoc/>
    public string? By { get; set; }
}

/// <summary>A figure that is known to be good on an engine under a condition.</summary>
public sealed class StoredFigure
{
    public int Id { get; set; }
    public int EngineId { get; set; }

    /// <summary>The reading it belongs to.</summary>
    public string Kind { get; set; } = "";

    /// <summary>What the reading was about, a channel or a cylinder; empty for whatever it is about.</summary>
    public string About { get; set; } = "";

    public string Name { get; set; } = "";
    public string Unit { get; set; } = "";

    /// <summary>The state it holds in, idle say; empty for any.</summary>
    public string State { get; set; } = "";

    /// <summary>Lower end; null where it is open.</summary>
    public double? Least { get; set; }

    /// <summary>Upper end; null where it is open.</summary>
    public double? Most { get; set; }

    /// <summary>
    /// The window of a value that moves with another one, as <see cref="MovingWindow.Parse"/> reads it; the value's channel is
    /// <see cref="Name"/>, the other's <see cref="About"/>. Empty for a figure that stands.
    /// </summary>
    public string Moves { get; set; } = "";

    /// <summary>Captures it was made from; 0 for a typed one.</summary>
    public int Captures { get; set; }

    public string Source { get; set; } = "";
    public string By { get; set; } = "";
    public DateTime AddedAt { get; set; }
    public DateTime? DeletedAt { get; set; }
}

/// <summary>What a person said channels of a name carry, for every later log.</summary>
public sealed class StoredCorrection
{
    public int Id { get; set; }

    /// <summary>The channel's name.</summary>
    public string Name { get; set; } = "";

    /// <summary>The quantity; empty for none.</summary>
    public string Quantity { get; set; } = "";
}

/// <summary>What the engine and the person did while a capture was taken.</summary>
/// <param name="State">Cranking, idle, load, deceleration or key on.</param>
/// <param name="CoolantCelsius">Coolant temperature, °C.</param>
/// <param name="Disabled">What was disabled: fuel, ignition.</param>
/// <param name="Remark">Anything else.</param>
/// <param name="SyncKind">What the sync probe is on: ignition, injector, cam or pressure.</param>
/// <param name="SyncCylinder">The cylinder the sync probe is on.</param>
public sealed record Conditions(
    string? State,
    double? CoolantCelsius,
    string? Disabled,
    string? Remark,
    string? SyncKind = null,
    int? SyncCylinder = null
)
{
    /// <summary>Channels that are, or are fed from, a supply of so many volts.</summary>
    public IReadOnlyDictionary<string, double>? Supplies { get; init; }

    /// <summary>
    /// What the conditions tell of a reading's option; null where nothing. The transducer takes the place of the plug whose lead
    /// carries the sync, unless somebody says otherwise.
    /// </summary>
    public string? Tell(string option) =>
        option switch
        {
            "sync-kind" => SyncKind,
            "sync-cylinder" or "cylinder" => SyncCylinder?.ToString(System.Globalization.CultureInfo.InvariantCulture),
            _ => null,
        };
}

/// <summary>One recording of a job. Seen only once it is whole.</summary>
public sealed class StoredCapture
{
    public int Id { get; set; }
    public int JobId { get; set; }
    public Job? Job { get; set; }
    public string Name { get; set; } = "";
    public DateTime TakenAt { get; set; }
    public string ConditionsJson { get; set; } = "{}";
    public string NotesJson { get; set; } = "[]";
    public DateTime? DeletedAt { get; set; }

    /// <summary>False as long as samples are on their way in.</summary>
    public bool IsWhole { get; set; } = true;

    /// <summary>The process that writes the samples; null once they are whole.</summary>
    public int? WriterProcess { get; set; }

    /// <summary>When it was put on the shelf as known-good; null where it was not.</summary>
    public DateTime? ShelvedAt { get; set; }

    /// <summary>Why it counts as good.</summary>
    public string? ShelfReason { get; set; }

    /// <summary>Who checked it.</summary>
    public string? ShelfBy { get; set; }

    /// <summary>
    /// The exchange with the vehicle it holds instead of channels, as candump writes it or as payloads; null for a capture.
    /// </summary>
    public string? Exchange { get; set; }

    /// <summary>The sheet of values measured with a meter that it holds instead of channels, JSON; null for a capture.</summary>
    public string? SheetJson { get; set; }

    /// <summary>How its lanes lie on the bench; null as long as nobody moved anything.</summary>
    public string? ArrangementJson { get; set; }

    public List<StoredChannel> Channels { get; } = [];
    public List<StoredReading> Readings { get; } = [];
    public List<StoredCaliper> Calipers { get; } = [];
    public List<StoredPin> Pins { get; } = [];

    public Conditions Conditions
    {
        get => JsonSerializer.Deserialize<Conditions>(ConditionsJson, StoreJson.Options)!;
        set => ConditionsJson = JsonSerializer.Serialize(value, StoreJson.Options);
    }

    /// <summary>The values measured with a meter; null for a capture.</summary>
    public CircuitSheet? Sheet
    {
        get => SheetJson is null ? null : JsonSerializer.Deserialize<CircuitSheet>(SheetJson, StoreJson.Options);
        set => SheetJson = value is null ? null : JsonSerializer.Serialize(value, StoreJson.Options);
    }

    /// <summary>The page that shows it: the bench, an exchange or a sheet.</summary>
    public string Address =>
        Exchange is not null ? $"/exchanges/{Id}"
        : SheetJson is not null ? $"/sheets/{Id}"
        : $"/bench/{Id}";

    /// <summary>A row for a capture taken now.</summary>
    public static StoredCapture Of(int jobId, string name, Conditions conditions) =>
        new()
        {
            JobId = jobId,
            Name = name,
            TakenAt = DateTime.UtcNow,
            Conditions = conditions,
        };

    /// <summary>The channels a person sees, in order: not the smoothed copies that lanes draw.</summary>
    public IEnumerable<StoredChannel> OwnChannels => Channels.Where(c => !c.IsLaneCopy).OrderBy(c => c.Ordinal);

    /// <summary>True where a channel stands for each of the roles.</summary>
    public bool Holds(IReadOnlyList<string> roles) => roles.All(role => Channels.Any(c => c.Role == role));

    /// <summary>Slower than this, s a sample, a capture is a log.</summary>
    public const double LogStep = 0.01;

    /// <summary>True where it was logged and not captured with a scope.</summary>
    public bool IsLog => OwnChannels.Any() && OwnChannels.Average(c => c.Step) >= LogStep;

    /// <summary>What readings need to know to offer themselves.</summary>
    public CaptureFacts Facts =>
        new([.. OwnChannels.Select(c => new ChannelFacts(c.Name, c.Unit, c.Role))], IsLog, Conditions.State, Exchange is not null);

    public IReadOnlyList<Note> Notes =>
        [.. JsonSerializer.Deserialize<List<Note?>>(NotesJson, StoreJson.Options)!.OfType<Note>().Where(n => n.Text is not null)];
}

/// <summary>One channel of a capture; its samples lie in blocks.</summary>
public sealed class StoredChannel
{
    public int Id { get; set; }
    public int CaptureId { get; set; }
    public StoredCapture? Capture { get; set; }
    public int Ordinal { get; set; }
    public string Name { get; set; } = "";
    public string Unit { get; set; } = "";

    /// <summary>What the person or the guess takes it for; null where nothing.</summary>
    public string? Role { get; set; }

    /// <summary>The expression it was computed from; null for a channel that was measured.</summary>
    public string? Expression { get; set; }

    /// <summary>True for a smoothed copy that a lane draws instead of its channel.</summary>
    public bool IsLaneCopy { get; set; }

    /// <summary>Its input measures from minus this to plus this, in its unit; null where that is not known.</summary>
    public double? Range { get; set; }

    public int Count { get; set; }
    public double Start { get; set; }

    /// <summary>Sample interval, s; the mean one where times are stored with the blocks.</summary>
    public double Step { get; set; }

    public double End { get; set; }
    public bool IsUniform { get; set; }

    /// <summary>The words its numbers stand for, as JSON; null for a channel of numbers.</summary>
    public string? WordsJson { get; set; }

    /// <summary>The words its numbers stand for; null for a channel of numbers.</summary>
    public IReadOnlyList<string>? Words => WordsJson is null ? null : JsonSerializer.Deserialize<List<string>>(WordsJson);
}

/// <summary>A measure between two places on one channel.</summary>
public sealed class StoredCaliper
{
    public int Id { get; set; }
    public int CaptureId { get; set; }
    public string Name { get; set; } = "";
    public int ChannelId { get; set; }
    public StoredChannel? Channel { get; set; }

    /// <summary>The left jaw, s on the capture's axis.</summary>
    public double From { get; set; }

    /// <summary>The right jaw, s.</summary>
    public double To { get; set; }
}

/// <summary>A remark at a place of a capture.</summary>
public sealed class StoredPin
{
    public int Id { get; set; }
    public int CaptureId { get; set; }

    /// <summary>Where, s on the capture's axis.</summary>
    public double At { get; set; }

    public string Remark { get; set; } = "";
}

/// <summary>One computed result, as its reading's own JSON.</summary>
public sealed class StoredReading : IDoneBy
{
    private ReadingResult? _result;

    public int Id { get; set; }
    public int JobId { get; set; }
    public Job? Job { get; set; }
    public int CaptureId { get; set; }
    public StoredCapture? Capture { get; set; }
    public string Kind { get; set; } = "";
    public string Verdict { get; set; } = "";
    public string Sentence { get; set; } = "";
    public string Json { get; set; } = "{}";
    public DateTime MadeAt { get; set; }

    /// <summary>True where the capture could not answer.</summary>
    public bool IsUnusable => Verdict == Core.Basics.Verdict.UnusableWord;

    /// <summary>The result in its own type; null where the reading is no longer known.</summary>
    public ReadingResult? Result => _result ??= HeldResults.Of(Kind, Json);

    /// <summary>The same row for another page, which sets its own job and capture beside it.</summary>
    internal StoredReading ForAnother()
    {
        _ = Result;
        return (StoredReading)MemberwiseClone();
    }

    /// <summary>A row for a result.</summary>
    public static StoredReading Of(ReadingResult result, int jobId, int captureId) =>
        new()
        {
            JobId = jobId,
            CaptureId = captureId,
            Kind = result.Reading,
            Verdict = result.Verdict,
            Sentence = result.Sentence,
            Json = JsonSerializer.Serialize(result, result.GetType(), StoreJson.Options),
            MadeAt = DateTime.UtcNow,
        };

    /// <inheritdoc/>
    public string? By { get; set; }
}

/// <summary>How the store writes JSON.</summary>
internal static class StoreJson
{
    public static readonly JsonSerializerOptions Options = new(JsonSerializerDefaults.Web);
}
