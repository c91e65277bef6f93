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

    /// <summary>
    /// A pressure as it arrives through a hose, whose gas is a mass on a spring with a damper, stepped forward in 20 steps a sample.
    /// </summary>
    public static Capture ThroughHose(Capture capture, double hertz, double damping)
    {
        const int fine = 20;
        var pressure = capture.Find("Cylinder pressure")!;
        var (step, w) = (pressure.Time.Step / fine, 2 * Math.PI * hertz);
        var (felt, rate) = ((double)pressure.Samples[0], 0.0);
        var samples = new float[pressure.Samples.Length];
        for (var i = 0; i < samples.Length; i++)
        {
            for (var s = 0; s < fine; s++)
            {
                rate += step * (w * w * (pressure.Samples[i] - felt) - 2 * damping * w * rate);
                felt += step * rate;
            }

            samples[i] = (float)felt;
        }

        return capture with
        {
            Channels = [.. capture.Channels.Select(c => c == pressure ? c with { Samples = samples } : c)],
        };
    }
}
