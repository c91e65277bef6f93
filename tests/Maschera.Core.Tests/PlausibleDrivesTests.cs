using Maschera.Core.Quantities;
using Maschera.Core.Readings;
using Maschera.Core.Readings.Plausibility;
using Maschera.Core.Signals;

namespace Maschera.Core.Tests;

/// <summary>What a drive may do and what it can't: engines that stand, values that stand alone, supplies in steps and in long rows.</summary>
public class PlausibleDrivesTests
{
    private const double Seconds = 120;

    private delegate double Course(double t, Random random);

    private static Capture Log(double step, params (string Name, string Unit, Course Value)[] channels)
    {
        var random = new Random(3);
        var time = TimeAxis.Uniform(0, step, (int)(Seconds / step));
        return new Capture(
            "drive.csv",
            [
                .. channels.Select(c => new Channel(
                    c.Name,
                    c.Unit,
                    time,
                    [.. Enumerable.Range(0, time.Count).Select(i => (float)Math.Round(c.Value(time[i], random), 2))]
                )),
            ],
            []
        );
    }

    /// <summary>The foot in stairs of ten seconds, let go at every fifth.</summary>
    private static double Foot(double t, Random random) => (int)(t / 10) % 5 == 4 ? 0 : 12 + 17 * ((int)(t / 10) * 3 % 5);

    private static double Swinging(double t, Random random) => 40 + 35 * Math.Sin(t / 3) + 0.2 * random.NextDouble();

    private static Course Still(double value) => (_, _) => value;

    private static PlausibilityResult Read(Capture log, params string[] fed) =>
        (PlausibilityResult)new PlausibilityReading().Read(new ReadingRequest(log) { Supplies = fed.ToDictionary(name => name, _ => 5.0) });

    [Theory]
    [InlineData(true, true)]
    [InlineData(false, true)]
    [InlineData(false, false)]
    public void With_the_key_on_and_the_engine_off_nothing_follows_the_foot(bool speedLogged, bool airLogged)
    {
        List<(string, string, Course)> channels =
        [
            ("Accelerator pedal", "%", Foot),
            ("Manifold pressure", "kPa", Still(99)),
            ("Throttle position", "%", Still(6)),
        ];
        if (speedLogged)
            channels.Add(("Engine speed", "rpm", Still(0)));
        if (airLogged)
            channels.Add(("Air mass flow", "g/s", Still(0)));
        var result = Read(Log(0.1, [.. channels]));
        Assert.True(result.Verdict == "plausible", result.Sentence);
    }

    [Theory]
    [InlineData(12.3, 0)]
    [InlineData(14.1, 1)]
    public void A_battery_that_nothing_charges_tells_of_an_engine_that_stands(double volts, int findings)
    {
        var log = Log(
            0.1,
            ("Accelerator pedal", "%", Foot),
            ("Throttle position", "%", Still(6)),
            ("Battery voltage", "V", (_, random) => volts + 0.05 * random.NextDouble())
        );
        Assert.Equal(findings, Read(log).Findings.Count);
    }

    [Fact]
    public void A_speed_of_nought_beside_air_that_flows_can_not_be()
    {
        var result = Read(
            Log(0.1, ("Accelerator pedal", "%", Swinging), ("Engine speed", "rpm", Still(0)), ("Air mass flow", "g/s", Swinging))
        );
        var finding = Assert.Single(result.Findings);
        Assert.Equal(("flat", "Engine speed"), (finding.Kind, finding.Channel));
    }

    [Theory]
    [InlineData(0, "flat")]
    [InlineData(1_800, "flat")]
    public void A_manifold_that_stands_while_the_engine_runs_and_the_foot_moves_is_stuck(double from, string kind)
    {
        var result = Read(
            Log(
                0.1,
                ("Accelerator pedal", "%", Swinging),
                ("Engine speed", "rpm", (t, random) => 900 + from + 12 * Swinging(t, random)),
                ("Manifold pressure", "kPa", Still(99))
            )
        );
        Assert.Equal((kind, "Manifold pressure"), Assert.Single(result.Findings) is var f ? (f.Kind, f.Channel) : default);
    }

    [Fact]
    public void A_throttle_frozen_between_steps_of_the_foot_is_found_though_it_stands_for_long_elsewhere()
    {
        var log = Log(
            0.1,
            ("Accelerator pedal", "%", Ramped),
            ("Throttle position", "%", (t, random) => t is > 55 and < 88 ? Ramped(55, random) : Ramped(t, random)),
            ("Engine speed", "rpm", (t, random) => 900 + 20 * Ramped(t, random) + random.NextDouble())
        );
        var finding = Assert.Single(Read(log).Findings);
        Assert.Equal(("flat", "Throttle position"), (finding.Kind, finding.Channel));
        Assert.InRange(finding.From, 50, 56);
        Assert.InRange(finding.To, 86, 92);
    }

    /// <summary>The foot's stairs, a second from one to the next.</summary>
    private static double Ramped(double t, Random random) =>
        Foot(t, random) + Math.Max(0, 1 - t % 10) * (Foot(Math.Max(0, t - 10), random) - Foot(t, random));

    [Theory]
    [InlineData("Air mass flow", "g/s", 1, 0)]
    [InlineData("Throttle position", "%", 1, 98)]
    [InlineData("Engine speed", "rpm", 30, 0)]
    [InlineData("Fuel pressure", "bar", 0.1, 0)]
    public void Values_that_stand_alone_are_spikes(string name, string unit, double scale, double value)
    {
        static bool Falls(double t) => t > 5 && Math.Abs(t % 25 - 12) < 0.04;
        var log = Log(
            0.1,
            ("Accelerator pedal", "%", Swinging),
            (name, unit, (t, random) => Falls(t) ? value : scale * (20 + Swinging(t, random) / 2))
        );
        var finding = Read(log).Findings.Single(f => f.Channel == name);
        Assert.Equal(("spikes", 5), (finding.Kind, finding.Count));
        Assert.Contains("stand alone", finding.Text, StringComparison.Ordinal);
    }

    [Fact]
    public void What_goes_and_comes_back_with_the_foot_or_in_long_rows_is_no_spike()
    {
        static double Blipped(double t, Random random) => t > 5 && Math.Abs(t % 25 - 12) < 0.04 ? 95 : 20 + Swinging(t, random) / 2;
        Assert.Empty(Read(Log(0.1, ("Accelerator pedal", "%", Blipped), ("Throttle position", "%", Blipped))).Findings);
        static double Slowly(double t, Random random) => t > 5 && t % 25 < 0.6 ? 60 : 20 + Swinging(t, random) / 5;
        Assert.Empty(Read(Log(0.5, ("Air mass flow", "g/s", Slowly))).Findings);
    }

    [Theory]
    [InlineData("Throttle position", "%", 2, 2.4)]
    [InlineData("Engine speed", "rpm", 780, 785)]
    [InlineData("Manifold pressure", "kPa", 34, 35)]
    [InlineData("Fuel pressure", "bar", 150, 152)]
    [InlineData("Pedal sensor signal", "V", 0.76, 0.78)]
    public void A_last_place_that_flickers_is_no_spike(string name, string unit, double usual, double now)
    {
        var result = Read(Log(0.1, (name, unit, (t, _) => Math.Abs(t % 25 - 12) < 0.04 ? now : usual)), unit == "V" ? [name] : []);
        Assert.True(result.Verdict == "plausible", result.Sentence);
    }

    [Theory]
    [InlineData("Vehicle speed", "km/h", 62, 1)]
    [InlineData("Vehicle speed", "km/h", 0, 0)]
    [InlineData("Battery voltage", "V", 14.2, 1)]
    public void A_manifold_that_stands_is_stuck_where_anything_tells_that_the_engine_runs(
        string name,
        string unit,
        double value,
        int findings
    )
    {
        var log = Log(0.1, ("Accelerator pedal", "%", Swinging), ("Manifold pressure", "kPa", Still(98)), (name, unit, Still(value)));
        Assert.Equal(findings, Read(log).Findings.Count(f => f.Channel == "Manifold pressure"));
    }

    [Theory]
    [InlineData(1.0)]
    [InlineData(0.5)]
    public void A_foot_that_moves_between_long_rows_is_no_supply_that_sags(double step)
    {
        // Three sensors that the foot takes from half to a third, each by nearly the same factor, and back.
        static Course Sensor(double volts) => (t, random) => (t is > 40 and < 70 ? 0.86 : 1) * volts + 0.01 * random.NextDouble();
        (string Name, string Unit, Course Value)[] sensors =
        [
            ("Pedal sensor 1", "V", Sensor(2.37)),
            ("Throttle sensor signal", "V", Sensor(2.36)),
            ("Manifold pressure signal", "V", Sensor(2.08)),
        ];
        string[] fed = [.. sensors.Select(s => s.Name)];
        Assert.Empty(Read(Log(step, sensors), fed).Findings);
        // The foot is logged: it moves by a twentieth of its range, which is enough.
        (string, string, Course) foot = (
            "Accelerator pedal",
            "%",
            (t, _) =>
                t is > 40 and < 70 ? 39.9
                : t < 10 ? 0
                : t < 20 ? 85
                : 46.2
        );
        Assert.Empty(Read(Log(step, [.. sensors, foot]), fed).Findings);
    }

    [Theory]
    [InlineData("Throttle sensor signal", 0)]
    [InlineData("Rail sensor signal", 1)]
    public void A_throttle_that_moves_without_the_foot_takes_the_air_along(string name, int findings)
    {
        static Course Sensor(double volts) => (t, random) => (t is > 40.05 and < 70.05 ? 0.8 : 1) * volts + 0.01 * random.NextDouble();
        var log = Log(0.1, (name, "V", Sensor(2.1)), ("Manifold sensor signal", "V", Sensor(2.6)), ("Accelerator pedal", "%", Still(0)));
        Assert.Equal(findings, Read(log, name, "Manifold sensor signal").Findings.Count);
    }

    [Theory]
    [InlineData(true, 0)]
    [InlineData(false, 1)]
    public void An_engine_that_stops_and_starts_moves_air_and_fuel_at_once(bool stops, int findings)
    {
        static bool Away(double t) => t is > 40.05 and < 70.05;
        var log = Log(
            0.1,
            ("Rail sensor signal", "V", (t, random) => (Away(t) ? 0.6 : 1) * 1.9 + 0.01 * random.NextDouble()),
            ("Boost sensor signal", "V", (t, random) => (Away(t) ? 0.6 : 1) * 2.4 + 0.01 * random.NextDouble()),
            ("Engine speed", "rpm", (t, random) => (stops && Away(t) ? 0 : 780) + 5 * random.NextDouble())
        );
        Assert.Equal(findings, Read(log, "Rail sensor signal", "Boost sensor signal").Findings.Count);
    }

    [Fact]
    public void A_sag_whose_beginning_the_foot_hides_lies_before_its_end()
    {
        static Course Sensor(double volts) => (t, random) => (t is > 40.05 and < 70.05 ? 0.6 : 1) * volts + 0.01 * random.NextDouble();
        (string Name, string Unit, Course Value)[] sensors =
        [
            ("Pedal sensor 1", "V", Sensor(2.37)),
            ("Rail sensor signal", "V", Sensor(1.9)),
            ("Manifold pressure signal", "V", Sensor(3.3)),
        ];
        string[] fed = [.. sensors.Select(s => s.Name)];
        var log = Log(0.1, [.. sensors, ("Accelerator pedal", "%", (t, _) => t < 40 ? 20 : 44)]);
        var finding = Assert.Single(Read(log, fed).Findings);
        Assert.Equal("shared-supply", finding.Kind);
        Assert.InRange(finding.From, 39.8, 40.4);
        Assert.InRange(finding.To, 69.8, 70.4);
        Assert.Contains("to 60 %", finding.Text, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData(-40, "out-of-range")]
    [InlineData(255, "out-of-range")]
    [InlineData(95, "jump")]
    public void Air_behind_a_charger_is_watched_too(double value, string kind)
    {
        var log = Log(0.1, ("Charge air temperature", "°C", (t, random) => t is > 40 and < 50 ? value : 31 + random.NextDouble()));
        Assert.Equal(kind, Assert.Single(Read(log).Findings).Kind);
        // Under boost it may well climb by fifteen degrees a second.
        var boosted = Log(0.1, ("Charge air temperature", "°C", (t, _) => 35 + 15 * Math.Abs(t % 8 - 4)));
        Assert.Empty(Read(boosted).Findings);
    }

    [Theory]
    [InlineData("Charge air temperature", "Charge air temperature")]
    [InlineData("Ladelufttemperatur", "Charge air temperature")]
    [InlineData("Intake manifold temperature", "Intake air temperature")]
    public void The_air_s_temperatures_are_told_apart(string name, string quantity) =>
        Assert.Equal(quantity, KnownQuantities.Of(name, "°C")?.Name);
}
