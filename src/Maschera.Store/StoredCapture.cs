using System.Text.Json;
using Maschera.Core.Basics;
using Maschera.Core.Readings;
using Maschera.Core.Vehicle;

namespace Maschera.Store;

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
