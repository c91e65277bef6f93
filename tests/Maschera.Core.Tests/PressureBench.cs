using Maschera.Core.Engines;
using Maschera.Core.Readings;
using Maschera.Core.Readings.CylinderPressure;
using Maschera.Core.Signals;
using Maschera.Rig;

namespace Maschera.Core.Tests;

/// <summary>Traces of a cylinder's pressure from the stand-in engine, and what is read of them.</summary>
internal static class PressureBench
{
    public static readonly Engine Four = EngineCatalogue.Orsa;
    public static readonly BreathingPlan Good = new(Four) { SpeedRpm = 820, Seed = 3 };
    public static readonly BreathingPlan Plan = Good with { SpeedRpm = 740, IntakeBar = 0.4, Seed = 8 };
    public static readonly Capture Reference = BreathingRun.Record(Good).Capture;

    public static void Levels(CylinderPressureResult result, BreathingTruth truth)
    {
        Assert.InRange(result.PeakBar!.Value / truth.PeakBar, 0.98, 1.02);
        Assert.InRange(result.ExhaustBar!.Value - truth.ExhaustBar, -0.03, 0.03);
        Assert.InRange(result.IntakeBar!.Value - truth.IntakeBar, -0.03, 0.03);
        Assert.InRange(result.SpeedRpm!.Value / truth.SpeedRpm, 0.98, 1.02);
    }

    public static Engine Of(int cylinders) =>
        cylinders == 4
            ? Four
            : Four with
            {
                Cylinders = cylinders,
                FiringOrder = cylinders == 6 ? [1, 5, 3, 6, 2, 4] : [1, 8, 4, 3, 6, 5, 7, 2],
                Banks = null,
            };

    public static Dictionary<string, string> Roles(params (string Role, string Column)[] more) =>
        new Dictionary<string, string>(more.ToDictionary(m => m.Role, m => m.Column)) { ["pressure"] = "Cylinder pressure" };

    public static CylinderPressureResult Read(Capture capture, Engine engine, Capture? reference, params (string, string)[] more) =>
        (CylinderPressureResult)
            new CylinderPressureReading().Read(
                new ReadingRequest(capture)
                {
                    Engine = engine,
                    Reference = reference,
                    Channels = Roles(more),
                    Options = new Dictionary<string, string> { ["cylinder"] = "1" },
                }
            );

    /// <summary>The same with Gaussian noise, a share of every channel's range.</summary>
    public static Capture Noisy(Capture capture, double share)
    {
        var random = new Random(17);
        return capture with
        {
            Channels =
            [
                .. capture.Channels.Select(c =>
                {
                    var reach = share * (c.Samples.Max() - c.Samples.Min());
                    return c with { Samples = Array.ConvertAll(c.Samples, v => v + (float)(reach * LogMaker.Gaussian(random))) };
                }),
            ],
        };
    }
}
