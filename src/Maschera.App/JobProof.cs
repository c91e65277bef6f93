using Maschera.Core.Basics;
using Maschera.Core.Readings;
using Maschera.Store;

namespace Maschera.App;

/// <summary>What the checks of before and after say of a repair.</summary>
public enum Proof
{
    /// <summary>Nothing was fitted yet.</summary>
    NotRepaired,

    /// <summary>No check was made again under like conditions.</summary>
    Open,

    /// <summary>What was wrong before is right after, under like conditions.</summary>
    Proved,

    /// <summary>It is still wrong.</summary>
    StillWrong,
}

/// <summary>A repair and its proof.</summary>
/// <param name="Proof">What can be said.</param>
/// <param name="Said">The same in a sentence.</param>
/// <param name="By">The pairs of checks that say so.</param>
/// <param name="Again">Checks that found something wrong before and were not made again, by their titles.</param>
public sealed record JobProof(Proof Proof, string Said, IReadOnlyList<BeforeAfter> By, IReadOnlyList<string> Again)
{
    /// <summary>When the last part was fitted; null before that.</summary>
    public static DateTime? RepairedAt(Job job) => job.Work.Where(w => w.DeletedAt is null).Max(w => w.FittedAt);

    /// <summary>True for a reading of a capture that was taken behind the last repair.</summary>
    public static bool IsAfterRepair(Job job, StoredReading reading) =>
        RepairedAt(job) is { } repaired && job.Captures.Find(c => c.Id == reading.CaptureId)?.TakenAt >= repaired;

    /// <summary>
    /// A repair is proved only where a check found something wrong before it, the same check under like conditions finds nothing
    /// after it, and none still does.
    /// </summary>
    public static JobProof Of(Job job, IReadOnlyList<StoredReading> readings)
    {
        if (RepairedAt(job) is not { } repaired)
            return new(Proof.NotRepaired, "Nothing is fitted yet.", [], []);
        var pairs = JobFacts
            .Compared(job, readings)
            .Where(p => p.Before.TakenAt < repaired && p.After.TakenAt >= repaired && p.FirstVerdict.Tone == Tone.Fault)
            .ToList();
        var again = NotAgain(job, readings, pairs);
        var wrong = pairs.Where(p => p.LastVerdict.Tone == Tone.Fault).ToList();
        var cured = pairs.Where(p => p.LastVerdict.Tone == Tone.Fine && p.Unlike.Length == 0).ToList();
        var todo = again.Count > 0 ? $" Not made again yet: {string.Join(", ", again)}." : "";
        if (wrong.Count > 0)
            return new(Proof.StillWrong, $"Still wrong after the repair: {Names(wrong)}.{todo}", wrong, again);
        if (cured.Count > 0)
            return new(Proof.Proved, $"Proved under like conditions by {Names(cured)}.{todo}", cured, again);
        var unlike = pairs.FirstOrDefault(p => p.Unlike.Length > 0);
        return new(
            Proof.Open,
            unlike is not null
                ? $"Not proved: {Names([unlike])} was not made again under like conditions ({unlike.Unlike})."
                : $"Not proved yet.{todo}",
            pairs,
            again
        );
    }

    private static string Names(IEnumerable<BeforeAfter> pairs) =>
        string.Join(", ", pairs.Select(p => (p.Name == p.Kind.Title ? p.Name : $"{p.Kind.Title}, {p.Name}").ToLowerInvariant()).Distinct());

    private static List<string> NotAgain(Job job, IReadOnlyList<StoredReading> readings, List<BeforeAfter> pairs) =>
        [
            .. readings
                .Where(r => !r.IsUnusable && !IsAfterRepair(job, r) && JobFacts.ToneOf(r) == Tone.Fault)
                .Where(r => !pairs.Exists(p => p.Kind.Kind == r.Kind))
                .Select(r => ReadingRegistry.Find(r.Kind)!.Title.ToLowerInvariant())
                .Distinct(),
        ];
}
