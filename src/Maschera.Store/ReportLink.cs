using Maschera.Store.People;

namespace Maschera.Store;

/// <summary>A way for a customer to one report. Only the sum of its word is kept: who reads the database can't open it.</summary>
public sealed class StoredReportLink : IDoneBy
{
    public int Id { get; set; }
    public int JobId { get; set; }
    public Job? Job { get; set; }

    /// <summary>SHA-256 of the word, in hexadecimal.</summary>
    public string Sum { get; set; } = "";

    /// <summary>When it was made, UTC.</summary>
    public DateTime MadeAt { get; set; }

    /// <summary>From when on it opens nothing, UTC.</summary>
    public DateTime EndsAt { get; set; }

    /// <summary>When it was last opened, UTC; null for never.</summary>
    public DateTime? OpenedAt { get; set; }

    /// <inheritdoc/>
    public string? By { get; set; }
}
