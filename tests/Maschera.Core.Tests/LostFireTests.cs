using Maschera.Core.Engines;
using Maschera.Core.Readings;
using Maschera.Core.Readings.Pulses;
using Maschera.Core.Signals;
using Maschera.Rig;
using static Maschera.Core.Tests.PulseBench;

namespace Maschera.Core.Tests;

/// <summary>
/// An engine that a cylinder's missing torque slows, made here: all pulses come when the crank is there, the manifold's pressure rises while
/// it is slow, and cold gas returns from the cylinder that did not fire. Who it is shows in nobody's own suction.
/// </summary>
public class LostFireTests
{
    private const double Rate = 10_000,
        Speed = 5_400,
        Transit = 0.001;

    [Theory]
    [InlineData(3, false)]
    [InlineData(4, false)]
    [InlineData(5, false)]
    [InlineData(6, false)]
    [InlineData(8, false)]
    [InlineData(4, true)]
    [InlineData(5, true)]
    [InlineData(6, true)]
    public void Whoever_does_not_fire_is_named_at_the_intake_and_no_other(int cylinders, bool hasWheel)
    {
        var engine = Of(cylinders) with { CrankWheel = null };
        foreach (var (place, cylinder) in engine.FiringOrder.Index())
        {
            var result = Read(Run(engine, place, hasWheel), engine);
            Assert.True(result.Verdict == "one-odd", $"{cylinder}: {result.Sentence}");
            Assert.Equal([cylinder], result.Cylinders.Where(c => c.IsOdd).Select(c => c.Cylinder));
            Assert.Equal("combustion", result.Cause);
            Assert.Contains("fires weakly or not at all", result.Sentence, StringComparison.Ordinal);
        }
    }

    [Theory]
    [InlineData(4, false)]
    [InlineData(6, true)]
    public void An_engine_that_fires_evenly_is_even(int cylinders, bool hasWheel)
    {
        var engine = Of(cylinders) with { CrankWheel = null };
        var result = Read(Run(engine, null, hasWheel), engine);
        Assert.Equal("even", result.Verdict);
        Assert.Null(result.Cause);
        Assert.True(LeavesFiringOpen(result));
    }

    [Fact]
    public void Only_pulses_alike_at_the_intake_of_an_engine_that_runs_leave_firing_open()
    {
        var engine = Of(4) with { CrankWheel = null };
        var alike = Run(engine, null, false);
        var byStarter = alike with { Channels = [.. alike.Channels.Select(c => c with { Time = Slower(c.Time, 5) })] };
        Assert.False(LeavesFiringOpen(Read(Run(engine, 1, false), engine)));
        Assert.False(LeavesFiringOpen(Read(byStarter, engine)));
        Assert.Equal("even", Read(byStarter, engine).Verdict);
        Assert.False(LeavesFiringOpen(PulseBench.Read(Record(engine), engine, "exhaust")));
        Assert.True(LeavesFiringOpen(PulseBench.Read(Record(engine), engine, "intake")));
    }

    [Theory]
    [InlineData(4)]
    [InlineData(6)]
    [InlineData(8)]
    public void A_weak_burn_at_speed_is_named_at_the_intake_or_left_open(int cylinders)
    {
        var engine = Of(cylinders);
        var fast = PulseBench.Read(Record(engine, 2_400, 9, new BreathingFault(2) { Heat = 0.75 }), engine, "intake");
        var odd = fast.Cylinders.Where(c => c.IsOdd).Select(c => c.Cylinder).ToList();
        Assert.True(odd.Count == 0 ? LeavesFiringOpen(fast) : odd.SequenceEqual([2]), fast.Sentence);
    }

    private static bool LeavesFiringOpen(PulsesResult result) => result.Notes.Any(n => n.Code == "firing-open");

    private static TimeAxis Slower(TimeAxis time, double times) => TimeAxis.Uniform(time.Start, times * time.Step, time.Count);

    [Theory]
    [InlineData(4)]
    [InlineData(5)]
    [InlineData(8)]
    public void A_cylinder_that_draws_little_and_so_fires_weakly_has_a_mechanical_fault(int cylinders)
    {
        var engine = Of(cylinders) with { CrankWheel = null };
        foreach (var (place, cylinder) in engine.FiringOrder.Index())
        {
            var result = Read(Run(engine, place, false, draws: 0.3, burns: 0.6, returns: 0), engine);
            Assert.Equal([cylinder], result.Cylinders.Where(c => c.IsOdd).Select(c => c.Cylinder));
            Assert.True(result.Cause is null, result.Sentence);
        }
    }

    [Fact]
    public void A_tailpipe_with_one_odd_pulse_and_an_intake_that_shows_its_fire_lost_speak_for_spark_and_fuel()
    {
        var engine = Of(4);
        var capture = Run(engine, 2, false);
        var result = (PulsesResult)
            new PulsesReading().Read(
                new ReadingRequest(capture)
                {
                    Engine = engine,
                    Channels = new Dictionary<string, string>
                    {
                        ["pulse"] = "Exhaust pulse",
                        ["intake"] = "Intake pulse",
                        ["sync"] = "Ignition",
                    },
                    Options = new Dictionary<string, string> { ["at"] = "exhaust" },
                }
            );
        Assert.Equal([engine.FiringOrder[2]], result.Cylinders.Where(c => c.IsOdd).Select(c => c.Cylinder));
        Assert.Equal("combustion", result.Cause);
        Assert.Contains("spark and fuel", result.Sentence, StringComparison.Ordinal);
    }

    private static PulsesResult Read(Capture capture, Engine engine) =>
        PulseBench.Read(capture, engine, "intake", options: ("transit", "1"));

    /// <summary>Three seconds at about 900 rpm.</summary>
    /// <param name="odd">The place of the firing order that is odd; none where null.</param>
    /// <param name="hasWheel">True with a crank sensor's channel.</param>
    private static Capture Run(Engine engine, int? odd, bool hasWheel, double draws = 1, double burns = 0, double returns = 40)
    {
        var count = (int)(3 * Rate);
        float[] intake = new float[count],
            exhaust = new float[count],
            coil = new float[count],
            crank = new float[count];
        var chance = new Random(4);
        var (degrees, speed, pressure, load) = (0.0, Speed, 0.0, Load(engine, odd, burns));
        var before = new Queue<(double Intake, double Exhaust)>(Enumerable.Repeat((0.0, 0.0), (int)(Transit * Rate)));
        for (var i = 0; i < count; i++)
        {
            double Sum(Func<double, double> course, double oddOne) =>
                engine.Angles().Index().Sum(p => (p.Index == odd ? oddOne : 1) * course(degrees - p.Item));
            speed += (Sum(Torque, burns) - load) * 1.5 * Speed * engine.Cylinders / 4 / Rate - (speed - Speed) * 1.2 / Rate;
            degrees += speed / Rate;
            var cold = odd is { } place ? returns * Bump(degrees - engine.Angles()[place] - 385, 14) : 0;
            pressure += (-pressure / 0.04 + 300 * (1 - speed / Speed) + cold) / Rate;
            before.Enqueue((Sum(Suction, draws) + pressure, Sum(BlowDown, burns)));
            var (drawn, blown) = before.Dequeue();
            (intake[i], exhaust[i]) = ((float)(drawn + Noise()), (float)(blown + Noise()));
            coil[i] = (degrees % 720) switch
            {
                < Speed / Rate => 40,
                > 702 => 0.8f,
                _ => 12.3f,
            };
            crank[i] = degrees / 6 % 60 is < 58 and var tooth && tooth % 1 < 0.5 ? 5 : 0.1f;
        }

        var time = TimeAxis.Uniform(0, 1 / Rate, count);
        Channel Of(string name, float[] samples) => new(name, "V", time, samples);
        var channels = new List<Channel> { Of("Intake pulse", intake), Of("Exhaust pulse", exhaust), Of("Ignition", coil) };
        if (hasWheel)
            channels.Add(Of("Crank sensor", crank));
        return new Capture("made", channels, []);

        double Noise() => 0.01 * chance.NextDouble();
    }

    /// <summary>Mean torque over the cycle, which the engine's load takes up.</summary>
    private static double Load(Engine engine, int? odd, double burns) =>
        Enumerable.Range(0, 720).Average(d => engine.Angles().Index().Sum(p => (p.Index == odd ? burns : 1) * Torque(d - p.Item)));

    /// <summary>Torque of a firing, without unit.</summary>
    private static double Torque(double degrees)
    {
        var off = (degrees % 720 + 720) % 720;
        return off < 170 ? Math.Pow(Math.Sin(Math.PI * off / 170), 2) : 0;
    }

    private static double BlowDown(double degrees) => Bump(degrees - 187, 16) - 0.5 * Bump(degrees - 227, 16);
}
