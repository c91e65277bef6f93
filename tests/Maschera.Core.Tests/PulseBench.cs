using Maschera.Core.Engines;
using Maschera.Core.Readings;
using Maschera.Core.Readings.Pulses;
using Maschera.Core.Signals;
using Maschera.Rig;

namespace Maschera.Core.Tests;

/// <summary>Records the stand-in engine's pick-ups and reads them.</summary>
internal static class PulseBench
{
    public static Engine Of(int cylinders) =>
        cylinders switch
        {
            3 => EngineCatalogue.Ghiro,
            5 => EngineCatalogue.Tasso with
            {
                Name = "five",
                Cylinders = 5,
                FiringOrder = [1, 2, 4, 5, 3],
                FiringAngles = null,
                CrankWheel = null,
            },
            4 => EngineCatalogue.Orsa,
            8 => EngineCatalogue.Tasso with
            {
                Name = "eight",
                Cylinders = 8,
                FiringOrder = [1, 5, 4, 8, 6, 3, 7, 2],
                FiringAngles = null,
                CrankWheel = null,
            },
            _ => EngineCatalogue.Tasso,
        };

    public static Capture Record(Engine engine, params BreathingFault[] faults) => Record(engine, 850, 6, faults);

    public static Capture Record(Engine engine, double rpm, int seed, params BreathingFault[] faults) =>
        BreathingRun
            .Record(
                new BreathingPlan(engine)
                {
                    Measured = null,
                    PickUps = true,
                    SpeedRpm = rpm,
                    Seconds = 4,
                    Faults = faults,
                    Seed = seed,
                }
            )
            .Capture;

    public static PulsesResult Read(
        Capture capture,
        Engine engine,
        string at,
        (string Role, string Column) more = default,
        (string Name, string Value) options = default
    ) => Read(capture, engine, at, more.Role is null ? [] : [more], options);

    public static PulsesResult Read(
        Capture capture,
        Engine engine,
        string at,
        (string Role, string Column)[] more,
        (string Name, string Value) options
    )
    {
        var roles = more.ToDictionary(m => m.Role, m => m.Column);
        roles["pulse"] = $"{char.ToUpperInvariant(at[0])}{at[1..]} pulse";
        if (capture.Find(roles["pulse"]) is null)
            roles["pulse"] = "Exhaust pulse";
        roles["sync"] = "Ignition";
        var said = new Dictionary<string, string> { ["at"] = at };
        if (options.Name is not null)
            said[options.Name] = options.Value;
        return (PulsesResult)
            new PulsesReading().Read(
                new ReadingRequest(capture)
                {
                    Engine = engine,
                    Channels = roles,
                    Options = said,
                }
            );
    }

    /// <summary>A pick-up by crank degrees after firing TDC of cylinder 1, 1 ms away, and that cylinder's ignition, at 900 rpm.</summary>
    public static Capture Made(Func<double, double> pickUp, string at = "Intake")
    {
        const double Rate = 10_000,
            Speed = 900 * 6,
            Transit = 0.001;
        var random = new Random(11);
        var seconds = Enumerable.Range(0, (int)(5 * Rate)).Select(i => i / Rate).ToList();
        float Coil(double degrees) =>
            degrees % 720 is var at && at < Speed / Rate ? 40
            : at > 702 ? 0.8f
            : 12.3f;
        var time = TimeAxis.Uniform(0, 1 / Rate, seconds.Count);
        return new Capture(
            "made",
            [
                new(
                    $"{at} pulse",
                    "V",
                    time,
                    [.. seconds.Select(t => (float)(pickUp((t - Transit) * Speed) + 0.01 * random.NextDouble()))]
                ),
                new("Ignition", "V", time, [.. seconds.Select(t => Coil(t * Speed))]),
            ],
            []
        );
    }

    /// <summary>Pressure falls while a cylinder draws, and comes back as the throttle lets air in.</summary>
    public static double Suction(double degrees) => -Bump(degrees - 455, 40) + 0.3 * Bump(degrees - 380, 14);

    /// <summary>A bump of height 1, so many degrees off its middle.</summary>
    public static double Bump(double off, double width) => Math.Exp(-Math.Pow(Math.IEEERemainder(off, 720) / width, 2) / 2);
}
