using Maschera.Core.Readings;
using Maschera.Store;

namespace Maschera.Web.Drawing;

/// <summary>Where a job stands in the eight steps of the work.</summary>
public static class JobSteps
{
    /// <summary>The steps, in the order they are worked.</summary>
    public static IReadOnlyList<string> Names { get; } =
        ["Take the job in", "Look before unplugging", "Cheap mechanical check", "Timing", "Into the cylinder", "Prove the circuit", "Decide", "Repair and prove"];

    private static readonly Dictionary<string, int> s_stepOfReading = new()
    {
        ["relative-compression"] = 2,
        ["duty"] = 5,
        ["misfire"] = 1,
        ["on-board-tests"] = 1,
        ["tracking"] = 1,
        ["contribution"] = 1,
        ["plausibility"] = 1,
        ["cam-timing"] = 3,
        ["cylinder-pressure"] = 4,
        ["pulses"] = 4,
    };

    /// <summary>True for each step that has left something behind: intake, usable readings, a closed job.</summary>
    public static bool[] Done(Job job)
    {
        var done = new bool[Names.Count];
        done[0] = true;
        foreach (var reading in job.Readings.Where(r => r.Verdict != ReadingResult.Unusable))
            if (s_stepOfReading.TryGetValue(reading.Kind, out var step)) done[step] = true;
        if (job.ClosedAt is not null) done[7] = true;
        return done;
    }

    /// <summary>The furthest step reached.</summary>
    public static string Stands(Job job)
    {
        var at = Array.LastIndexOf(Done(job), true);
        return $"{at + 1} of {Names.Count}: {Names[at]}";
    }
}
