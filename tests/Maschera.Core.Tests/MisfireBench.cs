using Maschera.Core.Engines;
using Maschera.Core.Readings;
using Maschera.Core.Readings.Misfire;
using Maschera.Rig;

namespace Maschera.Core.Tests;

/// <summary>Running stand-ins, and what is read of their misfires.</summary>
internal static class MisfireBench
{
    /// <summary>Four seconds of a plan at 50 kS/s, or as told, and what is read of them.</summary>
    public static (MisfireResult Result, RunningTruth Truth) Run(RunningPlan plan, double rate = 50_000)
    {
        var (capture, truth) = RunningRun.Record(plan with { Rate = rate, Seconds = 4 });
        var result = new MisfireReading().Read(
            new ReadingRequest(capture)
            {
                Engine = plan.Engine,
                Channels = new Dictionary<string, string> { ["crank"] = "Crank sensor", ["sync"] = "Ignition" },
            }
        );
        return ((MisfireResult)result, truth);
    }

    /// <summary>A layout with the V6's cylinders.</summary>
    public static Engine Of(string layout) =>
        EngineCatalogue.Layouts.First(l => l.Name == layout) with
        {
            Geometry = EngineCatalogue.Tasso.Geometry,
            ValveTiming = EngineCatalogue.Tasso.ValveTiming,
        };
}
