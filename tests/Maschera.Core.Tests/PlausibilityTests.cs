using Maschera.Core.Basics;
using Maschera.Core.Logs;
using Maschera.Core.Quantities;
using Maschera.Core.Readings;
using Maschera.Core.Readings.Plausibility;
using Maschera.Core.Signals;

namespace Maschera.Core.Tests;

/// <summary>What can't be true is found in made-up logs and scope captures, and healthy ones are left alone.</summary>
public class PlausibilityTests
{
    private static readonly Dictionary<string, double> s_fed = new() { ["Fuel pressure signal"] = 5, ["Throttle sensor signal"] = 5 };

    [Fact]
    public void Healthy_drives_raise_nothing()
    {
        for (var seed = 1; seed <= 40; seed++)
        {
            var result = Read(LogMaker.Drive(seed, keyOnFor: seed % 3 == 0 ? 6 : 0), seed % 2 == 0 ? s_fed : []);
            Assert.True(result.Verdict == "plausible", $"seed {seed}: {result.Sentence}");
        }
    }

    public static TheoryData<string, string> LogFaults =>
        new()
        {
            { "at-supply", "Fuel pressure signal" },
            { "at-ground", "Throttle sensor signal" },
            { "flat", "Manifold pressure" },
            { "flat", "Air mass flow" },
            { "out-of-range", "Coolant temperature" },
            { "jump", "Intake air temperature" },
            { "jump", "Vehicle speed" },
            { "shared-supply", "Throttle sensor signal, Fuel pressure signal" },
        };

    [Theory]
    [MemberData(nameof(LogFaults))]
    public void A_fault_is_found_in_its_channel_and_its_time_and_nobody_else_is_accused(string kind, string channel)
    {
        for (var seed = 1; seed <= 12; seed++)
        {
            var (from, to) = (35.0 + seed, 59.0 + seed);
            // What stands still can only be told where its driver moves.
            var pedal = LogMaker.Drive(seed).Find("Accelerator pedal")!.Between(from, to).Samples;
            if (kind == "flat" && pedal.Max() - pedal.Min() < 50)
                continue;
            double? frozen = null;
            double Spoil(string name, double t, double value)
            {
                if (!channel.Contains(name, StringComparison.Ordinal) || t < from || t > to)
                    return value;
                return kind switch
                {
                    "at-supply" => 4.99,
                    "at-ground" => 0.04,
                    "shared-supply" => 0.07,
                    "out-of-range" => -40,
                    "jump" => value + 60,
                    _ => frozen ??= value,
                };
            }

            var result = Read(LogMaker.Drive(seed, Spoil), s_fed);
            var hit = result.Findings.FirstOrDefault(f => f.Kind == kind && f.Channel == channel);
            Assert.True(hit is not null, $"seed {seed}: {result.Sentence}");
            Assert.InRange(hit.From, from - 6, from + 1);
            Assert.InRange(hit.To, to - 1, to + 6);
            Assert.All(result.Findings, f => Assert.Contains(f.Channel, channel, StringComparison.Ordinal));
        }
    }

    [Fact]
    public void A_throttle_that_stands_with_the_foot_is_sound_while_the_engine_runs_up()
    {
        for (var seed = 1; seed <= 12; seed++)
        {
            // The foot stands for seven seconds of every eight; speed goes on climbing.
            var drive = Spoilt(LogMaker.Drive(seed), "Accelerator pedal", (t, v) => Stairs(t, seed));
            var throttle = drive.Find("Accelerator pedal")! with { Name = "Throttle", Unit = "%" };
            var result = Read(drive with { Channels = [.. drive.Channels, throttle.Scaled(0.8f)] }, []);
            Assert.DoesNotContain(result.Findings, f => f.Kind == "flat" && f.Channel == "Throttle");
        }
    }

    private static double Stairs(double t, int seed) => 10 * (((int)(t / 8) * 7 + seed) % 9);

    [Theory]
    [InlineData(0.62)]
    [InlineData(0.8)]
    [InlineData(1.25)]
    public void Sensors_that_change_by_one_factor_share_a_supply_that_does(double factor)
    {
        string[] names = ["Throttle sensor signal", "Fuel pressure signal", "Manifold sensor signal"];
        for (var seed = 1; seed <= 8; seed++)
        {
            var (from, to) = (41.0 + seed, 62.0 + seed);
            var drive = LogMaker.Drive(seed);
            var air = drive.Find("Manifold pressure")!;
            var third = air with { Name = names[2], Unit = "V", Samples = [.. air.Samples.Select(v => 0.3f + 0.03f * v)] };
            var log = drive with { Channels = [.. drive.Channels, third] };
            var fed = names.ToDictionary(n => n, _ => 5.0);
            Assert.Equal("plausible", Read(log, fed).Verdict);
            foreach (var name in names)
                log = Spoilt(log, name, (t, v) => t >= from && t <= to ? v * factor : v);
            var hit = Assert.Single(Read(log, fed).Findings, f => f.Kind == "shared-supply");
            Assert.Equal(names.Order(), hit.Channels.Order());
            Assert.InRange(hit.From, from - 0.2, from + 0.2);
            Assert.InRange(hit.To, to - 0.2, to + 0.2);
            Assert.Contains(Enumerable.Range(-3, 7), off => hit.Text.Contains($"{100 * factor + off:0} %", StringComparison.Ordinal));
        }
    }

    [Theory]
    [InlineData("Sensor reference", 4.3, true)]
    [InlineData("Sensor supply 5V", 5.4, true)]
    [InlineData("Sensor reference", 4.85, false)]
    [InlineData("Fuel supply pressure signal", 2.6, false)]
    public void A_supply_off_its_level_is_named_with_what_it_reads(string name, double level, bool isOff)
    {
        var time = TimeAxis.Uniform(0, 0.1, 400);
        var random = new Random(2);
        var samples = Enumerable.Range(0, 400).Select(_ => (float)(level + 0.01 * (random.NextDouble() - 0.5))).ToArray();
        var result = Read(new Capture("supply", [new Channel(name, "V", time, samples)], []), new() { [name] = 5 });
        Assert.Equal(isOff ? "implausible" : "plausible", result.Verdict);
        if (isOff)
            Assert.Contains(
                level.ToString("0.##", System.Globalization.CultureInfo.InvariantCulture),
                result.Sentence,
                StringComparison.Ordinal
            );
    }

    private static Capture Spoilt(Capture log, string name, Func<double, double, double> value) =>
        log with
        {
            Channels =
            [
                .. log.Channels.Select(c =>
                    c.Name == name ? c with { Samples = [.. c.Samples.Select((v, i) => (float)value(c.Time[i], v))] } : c
                ),
            ],
        };

    [Fact]
    public void Contradictions_between_conditions_are_named()
    {
        var engineOff = Read(LogMaker.Drive(3, (name, t, value) => name == "Manifold pressure" && t < 6 ? 74 : value, keyOnFor: 6), []);
        Assert.Contains("both measure the same air", Assert.Single(engineOff.Findings).Text, StringComparison.Ordinal);
        var drive = LogMaker.Drive(4);
        var ambient = drive.Channels[5] with { Name = "Ambient temperature", Samples = [.. drive.Channels[5].Samples.Select(v => v - 70)] };
        Assert.Contains(
            "engine bay",
            Assert.Single(Read(drive with { Channels = [.. drive.Channels, ambient] }, []).Findings).Text,
            StringComparison.Ordinal
        );
        var idle = LogMaker.Drive(
            1,
            (name, t, value) =>
                name switch
                {
                    "Accelerator pedal" => 0,
                    "Engine speed" => 780,
                    "Manifold pressure" => t < 60 ? 31 : 95,
                    _ => value,
                }
        );
        Assert.Contains(
            Read(idle with { Channels = [.. idle.Channels.Take(4)] }, []).Findings,
            f => f.Text.Contains("steady idle", StringComparison.Ordinal)
        );
    }

    [Theory]
    [InlineData(0.25, "Injector 4")]
    [InlineData(-0.4, "Injector 2")]
    [InlineData(0, null)]
    public void Spikes_are_found_with_the_wire_they_come_from(double height, string? from)
    {
        for (var seed = 1; seed <= 6; seed++)
        {
            var result = Read(Wires(seed, height, from), new() { ["Sensor reference"] = 5 });
            if (from is null)
            {
                Assert.Empty(result.Findings);
                continue;
            }

            var finding = Assert.Single(result.Findings);
            Assert.Equal(("spikes", "Sensor reference", from), (finding.Kind, finding.Channel, finding.CoincidesWith?.Channel));
            Assert.InRange(finding.CoincidesWith!.Fraction, 0.8, 1);
            Assert.Contains($"cylinder {from[^1]}", finding.Text, StringComparison.Ordinal);
        }
    }

    [Fact]
    public void On_a_slow_scope_the_wire_of_frequent_spikes_is_named()
    {
        const int count = 4_000;
        for (var seed = 0; seed < 8; seed++)
        {
            var random = new Random(seed);
            var time = TimeAxis.Uniform(0, 5e-4, count);
            var reference = Enumerable.Range(0, count).Select(_ => (float)(5 + 0.012 * LogMaker.Gaussian(random))).ToArray();
            Channel Injector(int number)
            {
                var samples = Enumerable.Repeat(13.8f, count).ToArray();
                for (var start = 10 + 15 * number; start < count - 40; start += 60 + random.Next(3))
                {
                    samples.AsSpan(start, 9).Fill(0.4f);
                    (samples[start + 9], samples[start + 10]) = (58, 21);
                    if (number == 2)
                        reference[start + 9] -= 0.9f;
                }

                return new Channel($"Injector {number}", "V", time, samples);
            }

            Channel[] wires = [.. Enumerable.Range(1, 3).Select(Injector)];
            var result = Read(new Capture("slow", [new Channel("Sensor reference", "V", time, reference), .. wires], []), []);
            Assert.Equal("Injector 2", Assert.Single(result.Findings).CoincidesWith?.Channel);
        }
    }

    [Fact]
    public void Spikes_that_belong_to_no_wire_are_said_to_be_nobody_s()
    {
        var random = new Random(4);
        var clean = Wires(3, 0, null);
        var reference = clean.Channels[0];
        for (var n = 0; n < 9; n++)
            reference.Samples.AsSpan(2_000 + random.Next(46_000), 6).Fill(4.2f);
        var finding = Assert.Single(Read(clean, new() { ["Sensor reference"] = 5 }).Findings);
        Assert.Equal(("spikes", null), (finding.Kind, finding.CoincidesWith));
    }

    [Theory]
    [InlineData(true, true)]
    [InlineData(false, true)]
    [InlineData(true, false)]
    public void A_train_that_stops_while_its_neighbour_goes_on_is_a_dropout_a_stop_of_both_is_not(bool neighbour, bool neighbourGoesOn)
    {
        var time = TimeAxis.Uniform(0, 5e-5, 40_000);
        Channel Wheel(string name, bool stops, double pitch) =>
            new(
                name,
                "V",
                time,
                [
                    .. Enumerable
                        .Range(0, 40_000)
                        .Select(i =>
                            stops && time[i] is > 0.8 and < 1.15 ? 10.1f
                            : time[i] * pitch % 1 < 0.5 ? 11.4f
                            : 10.1f
                        ),
                ]
            );
        var channels = new List<Channel> { Wheel("Wheel left", true, 60) };
        if (neighbour)
            channels.Add(Wheel("Wheel right", !neighbourGoesOn, 63));
        var result = Read(new Capture("scope.csv", channels, []), []);
        if (neighbour && !neighbourGoesOn)
            Assert.Empty(result.Findings);
        else
            Assert.Equal(("dropout", "Wheel left"), Assert.Single(result.Findings) is var f ? (f.Kind, f.Channel) : default);
    }

    [Fact]
    public void Quantities_are_known_in_the_common_wordings_and_can_be_corrected()
    {
        foreach (
            var (name, unit, quantity) in ((string, string, string?)[])
                [
                    ("Kühlmitteltemperatur", "°C", "Coolant temperature"),
                    ("ECT", "°F", "Coolant temperature"),
                    ("Drehzahl", "1/min", "Engine speed"),
                    ("MAF", "g/s", "Air mass flow"),
                    ("Ansauglufttemperatur", "°C", "Intake air temperature"),
                    ("Intake air temperature", "°C", "Intake air temperature"),
                    ("Fuel_rail_pressure", "bar", "Rail pressure"),
                    ("Engine oil temp", "°C", "Oil temperature"),
                    ("Diameter", "mm", null),
                    ("Map light", "", null),
                    ("Fahrpedalstellung", "%", "Accelerator pedal"),
                ]
        )
            Assert.Equal(quantity, KnownQuantities.Of(name, unit)?.Name);
        Assert.Equal(
            "Oil temperature",
            KnownQuantities.Of("T3", "°C", new Dictionary<string, string> { ["t3"] = "Oil temperature" })?.Name
        );
        Assert.Null(KnownQuantities.Of("ECT", "°C", new Dictionary<string, string> { ["ECT"] = "" }));
    }

    [Fact]
    public void Wrong_words_and_empty_captures_are_refused()
    {
        var drive = LogMaker.Drive(1);
        Assert.Throws<ReadingException>(() => Read(drive, new() { ["No such"] = 5 }));
        Assert.Equal(Verdict.UnusableWord, Read(drive with { Channels = [.. drive.Channels.Select(c => c.Between(0, 0.3))] }, []).Verdict);
    }

    private static PlausibilityResult Read(Capture capture, Dictionary<string, double> supplies) =>
        (PlausibilityResult)new PlausibilityReading().Read(new ReadingRequest(capture) { Supplies = supplies });

    /// <summary>A second of a sensor reference, two injectors with flyback, and a manifold sensor, at 50 kS/s.</summary>
    private static Capture Wires(int seed, double height, string? from)
    {
        var random = new Random(seed);
        const int count = 50_000;
        var time = TimeAxis.Uniform(0, 2e-5, count);
        var (reference, manifold) = (new float[count], new float[count]);
        for (var i = 0; i < count; i++)
        {
            reference[i] = (float)(5 + 0.012 * LogMaker.Gaussian(random));
            manifold[i] = (float)(2.5 + 0.8 * Math.Sin(Math.Tau * 7 * time[i]) + 0.012 * LogMaker.Gaussian(random));
        }

        Channel Injector(string name, double phase)
        {
            var samples = new float[count];
            Array.Fill(samples, 13.8f);
            for (var start = phase + 0.003 * seed; start < 0.98; start += 0.127)
            {
                var (on, off) = ((int)(start * 50_000), (int)((start + 0.004) * 50_000));
                samples.AsSpan(on, off - on).Fill(0.3f);
                samples.AsSpan(off, 20).Fill(62);
                if (from != name)
                    continue;
                for (var k = 0; k < 12; k++)
                    reference[off + k] += (float)(height * Math.Exp(-k / 4.0));
            }

            return new Channel(name, "V", time, samples);
        }

        var (two, four) = (Injector("Injector 2", 0.03), Injector("Injector 4", 0.08));
        return new Capture(
            "scope.csv",
            [new("Sensor reference", "V", time, reference), two, four, new("Manifold sensor", "V", time, manifold)],
            []
        );
    }

    [Theory]
    [InlineData(600)]
    [InlineData(900)]
    [InlineData(3_000)]
    public void A_short_capture_at_a_high_rate_is_read(int count)
    {
        var random = new Random(3);
        var samples = Enumerable.Range(0, count).Select(i => (float)(5 + 0.001 * random.NextDouble() + (i % 200 == 100 ? 1 : 0))).ToArray();
        var channel = new Channel("Reference", "V", TimeAxis.Uniform(0, 1e-6, count), samples);
        var result = new PlausibilityReading().Read(new ReadingRequest(new Capture("short", [channel], [])));
        Assert.NotEqual(Verdict.UnusableWord, result.Verdict);
    }

    [Theory]
    [InlineData(0.1, 1.0)]
    [InlineData(1.0, 0.1)]
    [InlineData(0.07, 0.5)]
    public void Channels_logged_at_different_steps_are_compared_at_the_same_times(double manifoldStep, double barometerStep)
    {
        // The weather changes by 20 kPa over the log, and both sensors follow it.
        Channel Air(string name, double step) =>
            new(
                name,
                "kPa",
                TimeAxis.Uniform(0, step, (int)(60 / step)),
                [.. Enumerable.Range(0, (int)(60 / step)).Select(i => (float)(90 + 20 * i * step / 60))]
            );
        var speed = new Channel("Engine speed", "rpm", TimeAxis.Uniform(0, 0.1, 600), new float[600]);
        var capture = new Capture("off", [speed, Air("Manifold pressure", manifoldStep), Air("Barometric pressure", barometerStep)], []);
        var result = (PlausibilityResult)new PlausibilityReading().Read(new ReadingRequest(capture));
        Assert.DoesNotContain(result.Findings, f => f.Kind == "out-of-range");
    }
}
