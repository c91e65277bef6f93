using Maschera.Core.Engines;
using Maschera.Core.Signals;

namespace Maschera.Rig;

/// <summary>A cylinder that misfires now and then.</summary>
/// <param name="Cylinder">Its number.</param>
/// <param name="Share">Share of its firings that are missing, 0 to 1, drawn at random.</param>
/// <param name="AboveRpm">Only above this speed.</param>
public sealed record MisfireSchedule(int Cylinder, double Share, double AboveRpm = 0);

/// <summary>What the stand-in engine is asked to do on its own fuel.</summary>
public sealed record RunningPlan(Engine Engine)
{
    /// <summary>Speed the load is set for, rpm.</summary>
    public double SpeedRpm { get; init; } = 850;

    /// <summary>Speed at the end, reached in a straight line; null to hold it.</summary>
    public double? EndRpm { get; init; }

    public double Seconds { get; init; } = 8;

    /// <summary>Samples a second of the scope.</summary>
    public double Rate { get; init; } = 50_000;

    public int Bits { get; init; } = 12;

    /// <summary>Inductive sensors, whose voltage grows with speed; hall sensors otherwise.</summary>
    public bool InductiveCrank { get; init; }

    /// <summary>An inductive cam sensor: one wave at the beginning of each of the cam's teeth.</summary>
    public bool InductiveCam { get; init; }

    /// <summary>The crank sensor connected the other way round.</summary>
    public bool TurnedRound { get; init; }

    public IReadOnlyList<MisfireSchedule> Misfires { get; init; } = [];

    /// <summary>Share of the usual heat that cylinders' firings give, by number; 1 where none is told.</summary>
    public IReadOnlyDictionary<int, double> Heat { get; init; } = new Dictionary<int, double>();

    /// <summary>Scatter of the work from firing to firing, as a share of it.</summary>
    public double Scatter { get; init; } = 0.05;

    /// <summary>Noise of the sensors as a share of their swing.</summary>
    public double Noise { get; init; } = 0.004;

    /// <summary>Standard deviation of each tooth from its place, crank degrees.</summary>
    public double ToothErrorDegrees { get; init; } = 0.05;

    /// <summary>How much a wheel off its centre leads and lags once a turn, crank degrees.</summary>
    public double RunoutDegrees { get; init; }

    /// <summary>How much later the cam stands than it should, crank degrees.</summary>
    public double CamOffsetDegrees { get; init; }

    /// <summary>Flutter of its drive from cycle to cycle, standard deviation in crank degrees.</summary>
    public double CamFlutterDegrees { get; init; } = 0.1;

    /// <summary>A phaser that goes to and fro by so much within the capture, crank degrees.</summary>
    public double PhaserDegrees { get; init; }

    /// <summary>Teeth in a thousand that the sensor loses.</summary>
    public double LostTeethPerMille { get; init; }

    /// <summary>A tooth that stands off its place, by its number after the gap from 1, and by how many degrees.</summary>
    public (int Tooth, double Degrees)? BentTooth { get; init; }

    /// <summary>Cylinder whose coil carries the sync probe; null without one.</summary>
    public int? SyncCylinder { get; init; } = 1;

    public int Seed { get; init; } = 1;
}

/// <summary>What really happened.</summary>
/// <param name="Misfires">Missing firings of each cylinder.</param>
/// <param name="Firings">Firings of each cylinder, missing ones counted.</param>
/// <param name="SpeedRpm">Mean speed.</param>
public sealed record RunningTruth(IReadOnlyDictionary<int, int> Misfires, IReadOnlyDictionary<int, int> Firings, double SpeedRpm);

/// <summary>Records the stand-in engine on its own fuel.</summary>
public static class RunningRun
{
    /// <summary>What the inputs measure, V.</summary>
    private const double CamRange = 10,
        CoilRange = 100;

    /// <summary>Runs the plan. The engine needs geometry and a crank wheel.</summary>
    /// <exception cref="ArgumentException">The engine lacks them.</exception>
    public static (Capture Capture, RunningTruth Truth) Record(RunningPlan plan)
    {
        var random = new Random(plan.Seed);
        var engine = new RunningEngine(plan, random) { Fuelled = true };
        var converter = new Converter(plan.Bits, random);
        double crankRange = plan.InductiveCrank ? 20 : 10;
        var first = engine.Degrees;
        var count = (int)(plan.Seconds * plan.Rate);
        var (crank, cam, coil) = (new float[count], new float[count], new float[count]);
        for (var next = 0; next < count; )
        {
            var (before, speed, time) = (engine.Degrees, engine.Speed, engine.Seconds);
            var after = before + double.RadiansToDegrees(speed) * RunningEngine.Step;
            for (; next < count && next / plan.Rate < time + RunningEngine.Step; next++)
            {
                var at = next / plan.Rate;
                var degrees = before + (after - before) * (at - time) / RunningEngine.Step;
                crank[next] = converter.Take(engine.Crank(degrees, speed), plan.Noise * (plan.InductiveCrank ? 8 : 5), crankRange);
                cam[next] = converter.Take(engine.Cam(degrees, at, speed), plan.Noise * 5, CamRange);
                if (plan.SyncCylinder is { } cylinder)
                    coil[next] = converter.Take(engine.Coil(cylinder, degrees, speed), 0.05, CoilRange);
            }

            engine.Advance();
        }

        var axis = TimeAxis.Uniform(0, 1 / plan.Rate, count);
        List<Channel> channels =
        [
            new("Crank sensor", "V", axis, crank) { Range = crankRange },
            new("Cam sensor", "V", axis, cam) { Range = CamRange },
        ];
        if (plan.SyncCylinder is not null)
            channels.Add(new Channel("Ignition", "V", axis, coil) { Range = CoilRange });
        return (
            new Capture("stand-in", channels, []),
            new RunningTruth(engine.Misfires, engine.Firings, (engine.Degrees - first) / 6 / engine.Seconds)
        );
    }
}
