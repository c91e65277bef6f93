using Maschera.Core.Engines;
using Maschera.Core.Readings;
using Maschera.Core.Readings.RelativeCompression;
using Maschera.Core.Signals;
using Maschera.Rig;

namespace Maschera.Core.Tests;

/// <summary>Stand-in engines on their starters, and relative compression read of them.</summary>
internal static class CrankingBench
{
    public static CrankingPlan Plan(Engine engine, int weak, double leak) =>
        new(Whole(engine))
        {
            Faults = weak > 0 ? [new CylinderFault(weak, leak)] : [],
            Starter = StarterCircuit.For(engine.Cylinders),
            SyncCylinder = 1,
            CrankSensor = true,
            Rate = 12_500,
            Seed = 5,
        };

    public static Engine Find(string name) => EngineCatalogue.Demo.Concat(EngineCatalogue.Layouts).First(e => e.Name == name);

    /// <summary>Layouts lack what the stand-in needs.</summary>
    private static Engine Whole(Engine engine) =>
        engine.Geometry is null
            ? engine with
            {
                Geometry = EngineCatalogue.Orsa.Geometry,
                ValveTiming = EngineCatalogue.Orsa.ValveTiming,
            }
            : engine;

    public static RelativeCompressionResult Read(Capture capture, Engine engine, params string[] roles) =>
        (RelativeCompressionResult)
            new RelativeCompressionReading().Read(
                new ReadingRequest(capture)
                {
                    Engine = engine,
                    Channels = roles.Select(r => r.Split('=')).ToDictionary(r => r[0], r => r[1]),
                }
            );
}
