using Maschera.Store.People;

namespace Maschera.Store;

/// <summary>A line of the trail that a person wrote.</summary>
public sealed class StoredRemark : IDoneBy
{
    public int Id { get; set; }
    public int JobId { get; set; }
    public DateTime At { get; set; }
    public string Text { get; set; } = "";

    /// <summary>The place on the bench it speaks of, an address within Maschera; null for none.</summary>
    public string? Address { get; set; }

    /// <summary>True where it is to stand in the customer's report.</summary>
    public bool IsPinned { get; set; }

    public DateTime? DeletedAt { get; set; }

    /// <inheritdoc/>
    public string? By { get; set; }
}

/// <summary>A line of what is to be done at a vehicle: a part, or work.</summary>
public sealed class StoredWork : IDoneBy
{
    public int Id { get; set; }
    public int JobId { get; set; }

    /// <summary>The part, or what is done.</summary>
    public string What { get; set; } = "";

    /// <summary>True for work, counted in hours; false for a part, counted in pieces.</summary>
    public bool IsLabour { get; set; }

    /// <summary>The part's number.</summary>
    public string Number { get; set; } = "";

    /// <summary>Which variant, by build date say.</summary>
    public string Variant { get; set; } = "";

    public double Count { get; set; } = 1;

    /// <summary>For one piece or one hour; null where it is not known yet.</summary>
    public double? Price { get; set; }

    /// <summary>Where the part comes from.</summary>
    public string From { get; set; } = "";

    /// <summary>Days until it is there; null where nobody said.</summary>
    public int? Days { get; set; }

    /// <summary>The fault it cures, a word of the diagnosis; null where it cures none by itself.</summary>
    public string? Fault { get; set; }

    /// <summary>The cylinder it belongs to; null for none.</summary>
    public int? Cylinder { get; set; }

    /// <summary>Its wheel; null for none.</summary>
    public string? Wheel { get; set; }

    public DateTime ProposedAt { get; set; }
    public DateTime? OrderedAt { get; set; }

    /// <summary>When it was fitted, or the work done.</summary>
    public DateTime? FittedAt { get; set; }

    public DateTime? DeletedAt { get; set; }

    /// <inheritdoc/>
    public string? By { get; set; }
}

/// <summary>A fault hidden in the practice room, and how it is looked for; its captures belong to the job.</summary>
public sealed class StoredPractice
{
    public int Id { get; set; }
    public int JobId { get; set; }
    public Job? Job { get; set; }

    /// <summary>1 for what one look tells, to 3.</summary>
    public int Level { get; set; }

    public int Seed { get; set; }

    /// <summary>What is hidden, a word of the diagnosis.</summary>
    public string Fault { get; set; } = "";

    public int? Cylinder { get; set; }

    /// <summary>The checks made, as words of the diagnosis in their order, JSON.</summary>
    public string ChecksJson { get; set; } = "[]";

    /// <summary>What they cost, minutes of work.</summary>
    public double Minutes { get; set; }

    public DateTime StartedAt { get; set; }

    /// <summary>When somebody said what it is; null while it is looked for.</summary>
    public DateTime? EndedAt { get; set; }

    public string? SaidFault { get; set; }
    public int? SaidCylinder { get; set; }
}
