using Maschera.Store.People;

namespace Maschera.Store;

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
