using System.Text.Json;
using Maschera.Core.Readings;
using Maschera.Store.People;

namespace Maschera.Store;

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
