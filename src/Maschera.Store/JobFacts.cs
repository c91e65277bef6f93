using Maschera.Store.People;

namespace Maschera.Store;

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
