using Maschera.Core.Basics;
using Maschera.Core.Expressions;
using Maschera.Core.Logs;
using Maschera.Core.Readings;
using Maschera.Core.Readings.Contribution;
using Maschera.Core.Signals;
using Maschera.Core.Vehicle;
using Maschera.Rig;

namespace Maschera.Core.Tests;

/// <summary>Conditions, named events, tables, contribution and the intake's remarks.</summary>
public class LogTests
{
    private static readonly TimeAxis s_time = TimeAxis.Uniform(0, 0.1, 1_000);

    private static readonly IReadOnlyList<Channel> s_channels =
    [
        Made("Engine speed", "rpm", t => 800 + 40 * t),
        Made("Accelerator pedal", "%", t => t % 20 < 10 ? 100 : 0),
        Made("Boost desired", "kPa", _ => 150),
        Made("Boost actual", "kPa", t => t),
    ];

    [Theory]
    [InlineData("rpm > 3000", 55.1, 99.9)]
    [InlineData("rpm >= 800 and rpm < 1000", 0, 5)]
    [InlineData("\"Engine speed\" > 3000 and pedal > 90", 60, 70)]
    [InlineData("engine speed > 4700 or boost actual <= 1", 0, 1.1)]
    [InlineData("not (rpm < 4000) and not pedal = 0", 80.0, 90)]
    [InlineData("RPM > 2000.5 AND boost actual < 40,5", 30.1, 40.5)]
    [InlineData("boost desired - boost actual < 100", 50.1, 99.9)]
    [InlineData("abs(boost actual - 50) <= 10", 40, 60.1)]
    [InlineData("min(rpm / 1000, 3) >= 3 and max(2, 3) = 3", 55, 99.9)]
    [InlineData("rpm ≥ 3000 and rpm × 2 ≤ 6400", 55, 60.1)]
    [InlineData("(rpm + 200) / 2 > 2000 and (pedal > 90 or rpm < 0)", 80, 90)]
    [InlineData("rpm - 800 > -1 and rpm < 2^10", 0, 5.7)]
    [InlineData("boost actual != 0 and boost actual < boost desired and rpm < 801", 0, 0)]
    public void Conditions_hold_where_they_should(string text, double from, double to)
    {
        var stretches = Condition.Parse(text, s_channels).Stretches();
        if (to == 0)
        {
            Assert.Empty(stretches);
            return;
        }

        Assert.Equal(from, stretches[0].From, 0.11);
        Assert.Equal(to, stretches[0].To, 0.11);
    }

    [Theory]
    [InlineData("not gear = 1", 0, 20)]
    [InlineData("gear != 0", 0, 40)]
    [InlineData("gear = 1 or speed > 0", 0, 100)]
    [InlineData("not (gear = 2 and speed > 0)", 0, 20)]
    public void Nothing_is_said_of_a_comparison_where_a_channel_has_no_value(string text, double from, double to)
    {
        Channel[] channels =
        [
            Made(
                "Gear",
                "",
                t =>
                    t < 20 ? 2
                    : t < 40 ? 1
                    : double.NaN
            ),
            Made("Speed", "km/h", _ => 10),
        ];
        var stretches = Condition.Parse(text, channels).Stretches();
        var expected = text.StartsWith("not (", StringComparison.Ordinal) ? (20.0, 40.0) : (from, to);
        Assert.Equal(expected.Item1, stretches[0].From, 0.11);
        Assert.Equal(expected.Item2, stretches[^1].To, 0.11);
        Assert.Single(stretches);
    }

    [Theory]
    [InlineData("", "Write a condition")]
    [InlineData("rpm", "At place 4: a comparison was expected")]
    [InlineData("rpm >", "At place 6: it ends too early; a channel or a number")]
    [InlineData("boost > 3", "At place 1: 'boost' may be \"Boost desired\" or \"Boost actual\"")]
    [InlineData("coolant > 3", "At place 1: there is no channel 'coolant'. There are \"Engine speed\"")]
    [InlineData("(rpm > 3", "At place 9: ')' is missing")]
    [InlineData("rpm > 3 rpm", "At place 9: 'r' is not expected")]
    [InlineData("\"No\" > 3", "At place 1: there is no channel 'No'")]
    [InlineData("rpm > 3 and or rpm < 2", "At place 13: there is no channel 'or rpm'")]
    [InlineData("rpm and rpm > 3", "At place 1: a comparison was expected")]
    [InlineData("rpm ! 3", "At place 5: a comparison was expected")]
    [InlineData("1 > 0", "names no channel")]
    [InlineData("(rpm > 3) + 1 > 2", "At place 6: a comparison gives no number")]
    [InlineData("smooth(rpm, 0.1) > 3", "make a channel of smooth(…) first")]
    [InlineData("abs(rpm, 2) > 3", "At place 1: abs takes one value")]
    [InlineData("rpm > 3000,", "At place 11: ',' is not expected")]
    public void A_wrong_condition_says_where(string text, string says) =>
        Assert.Contains(
            says,
            Assert.Throws<ExpressionException>(() => Condition.Parse(text, s_channels)).Message,
            StringComparison.Ordinal
        );

    [Fact]
    public void Deep_and_endless_conditions_are_refused()
    {
        Assert.Throws<ExpressionException>(() => Condition.Parse(new string('(', 200) + "rpm > 1" + new string(')', 200), s_channels));
        Assert.Throws<ExpressionException>(() => Condition.Parse(string.Join(" or ", Enumerable.Repeat("rpm > 1", 500)), s_channels));
        Assert.Throws<ExpressionException>(() => Condition.Parse(string.Concat(Enumerable.Repeat("not ", 300)) + "rpm > 1", s_channels));
    }

    [Fact]
    public void What_was_done_in_a_log_is_named_with_its_doubt()
    {
        double Rpm(double t) =>
            t switch
            {
                < 5 => 0,
                < 7 => 220,
                < 20 => 810,
                < 50 => 1_100 + 60 * (t - 20),
                < 60 => 2_900 - 180 * (t - 50),
                < 75 => 1_500 + 200 * (t - 60),
                _ => 820,
            };
        double Foot(double t) => t is >= 20 and < 50 or >= 60 and < 75 ? 95 : 0;
        var events = LogEvents.Find([Made("Engine speed", "rpm", Rpm), Made("Accelerator pedal", "%", Foot)]);
        Assert.Equal(["Engine off", "Cranking", "Idle", "Pull", "Slowing down", "Pull", "Idle"], events.Select(e => e.Name));
        Assert.Contains("too high a gear", events[3].Doubt, StringComparison.Ordinal);
        Assert.Contains("1100 rpm", events[3].Doubt, StringComparison.Ordinal);
        Assert.Null(events[5].Doubt);
        Assert.Equal(20, events[3].From, 0.15);
        Assert.Equal(50, events[3].To, 0.15);
        Assert.Empty(LogEvents.Find([Made("Boost", "kPa", _ => 1)]));
    }

    [Fact]
    public void A_table_holds_the_mean_of_what_fell_into_each_field()
    {
        var table = LogTable.Of(Made("Value", "", t => t < 50 ? 10 : 30), s_channels[0], s_channels[1], 0, 100);
        var all = table.Cells.SelectMany(row => row).Where(c => c.Mean is not null).ToList();
        Assert.Equal(1_000, all.Sum(c => c.Count));
        Assert.Equal(20, all.Sum(c => c.Mean!.Value * c.Count) / 1_000, 9);
        Assert.All(table.Across.Zip(table.Across.Skip(1)), p => Assert.Equal(500, p.Second - p.First, 6));
    }

    [Theory]
    [InlineData("Injection correction cylinder {0}", "mg/stroke", 1, null)]
    [InlineData("Speed cyl. {0}", "rpm", -1, null)]
    [InlineData("Zylinder {0} Laufruhe", "rpm", 1, "higher")]
    public void The_odd_cylinder_is_named_whichever_way_the_vehicle_counts(string name, string unit, int sign, string? said)
    {
        var random = new Random(2);
        Capture Log(int odd) =>
            new(
                "log",
                [
                    .. Enumerable
                        .Range(1, 4)
                        .Select(n =>
                            Made(
                                string.Format(System.Globalization.CultureInfo.InvariantCulture, name, n),
                                unit,
                                _ => (n == odd ? 2.4 * sign : 0) + 0.1 * n + 0.1 * LogMaker.Gaussian(random)
                            )
                        ),
                ],
                []
            );
        ContributionResult Read(Capture log) =>
            (ContributionResult)
                new ContributionReading().Read(
                    new ReadingRequest(log)
                    {
                        Engine = EngineCatalogue.Orsa,
                        Options = said is null ? new Dictionary<string, string>() : new Dictionary<string, string> { ["weak-is"] = said },
                    }
                );
        var result = Read(Log(3));
        Assert.Equal(("one-odd", 3), (result.Verdict, result.Cylinders.Single(c => c.IsOdd).Cylinder));
        Assert.Contains("Cylinder 3 gives clearly less", result.Sentence, StringComparison.Ordinal);
        Assert.Equal(3, result.Ledger.Single(e => e.Odd).Cylinder);
        Assert.Equal("even", Read(Log(0)).Verdict);
    }

    [Fact]
    public void Contribution_without_cylinders_is_refused()
    {
        var result = new ContributionReading().Read(
            new ReadingRequest(new Capture("log", s_channels, [])) { Engine = EngineCatalogue.Orsa }
        );
        Assert.Equal((Verdict.UnusableWord, "no-balance"), (result.Verdict, result.Notes[0].Code));
        Assert.Throws<ReadingException>(() =>
            new ContributionReading().Read(
                new ReadingRequest(new Capture("log", [.. Enumerable.Range(1, 4).Select(n => Made($"Cyl {n}", "rpm", _ => n))], []))
                {
                    Engine = EngineCatalogue.Orsa,
                    Options = new Dictionary<string, string> { ["weak-is"] = "sideways" },
                }
            )
        );
    }

    [Fact]
    public void Codes_are_found_in_pasted_text_with_module_and_state()
    {
        var codes = CodeText.Parse(
            "Report of today\nEngine control:\n  P0303 - Misfire cyl 3 (present)\np0340 stored\n* P0016: crank/cam, "
                + "sporadic\nGearbox:\nU0100 pending\nNo fault P4711 XP0300\n"
        );
        Assert.Equal(
            [
                ("P0303", "Engine control", "present"),
                ("P0340", "Engine control", "stored"),
                ("P0016", "Engine control", "stored"),
                ("U0100", "Gearbox", "pending"),
            ],
            codes.Select(c => (c.Code, c.Module, c.State))
        );
        Assert.Equal("Misfire cyl 3", codes[0].Text);
        Assert.Equal("Cam sensor: no signal", codes[1].Text);
        Assert.Equal("crank/cam", codes[2].Text);
        Assert.Empty(CodeText.Parse("nothing here"));
    }

    [Theory]
    [InlineData("P0303 Misfire, inactive", "stored", "Misfire")]
    [InlineData("P0303 Misfire (not current)", "stored", "Misfire")]
    [InlineData("P0201 Injector current out of range", "stored", "Injector current out of range")]
    [InlineData("P0201 Injector current out of range - present", "present", "Injector current out of range")]
    [InlineData("P0201 - current - Injector circuit", "present", "Injector circuit")]
    [InlineData("P0201 Injector circuit; current", "present", "Injector circuit")]
    [InlineData("P0053 Active heater resistance", "stored", "Active heater resistance")]
    [InlineData("P0230 Fuel pump history of starts, pending", "pending", "Fuel pump history of starts")]
    [InlineData("pending P0171 Mixture too lean", "pending", "Mixture too lean")]
    [InlineData("P0171 [permanent]", "permanent", "Mixture too lean, bank 1")]
    [InlineData("P0106 Saugrohrdruck gespeichert", "stored", "Saugrohrdruck")]
    [InlineData("P0340\tstored\tCam sensor", "stored", "Cam sensor")]
    public void A_state_is_told_from_the_same_word_in_a_description(string line, string state, string text)
    {
        var code = Assert.Single(CodeText.Parse(line));
        Assert.Equal((state, text), (code.State, code.Text));
    }

    [Theory]
    [InlineData("Exhaust pulse", "V", "pulse")]
    [InlineData("Cranking current", "A", "current")]
    [InlineData("Starter current", "A", "current")]
    [InlineData("Crank sensor", "V", "crank")]
    [InlineData("Cam sensor", "V", "cam")]
    [InlineData("Cam sensor 2", "V", "cam2")]
    [InlineData("Exhaust back pressure", "bar", "back-pressure")]
    [InlineData("Cylinder pressure", "bar", "pressure")]
    [InlineData("Ignition", "kV", "sync")]
    [InlineData("Battery voltage", "V", "battery")]
    [InlineData("PWM control", "V", "signal")]
    [InlineData("Clamp", "A", "current")]
    [InlineData("Oil temperature", "°C", null)]
    public void Roles_are_told_by_the_word_that_says_most(string name, string unit, string? role) =>
        Assert.Equal(role, RoleGuess.Of(name, unit));

    [Fact]
    public void A_role_is_given_once() =>
        Assert.Equal(
            new[] { "crank", null, "cam", null },
            RoleGuess.OfAll([("Crank sensor", "V"), ("Crank sensor copy", "V"), ("Cam sensor", "V"), ("Oil", "°C")])
        );

    [Fact]
    public void Remarks_follow_from_the_facts_and_only_from_them()
    {
        IReadOnlyList<string> Codes(IntakeFacts facts) => [.. IntakeRemarks.Of(facts).Select(n => n.Code)];
        var none = new IntakeFacts([], null, null, 12.6, null);
        Assert.Empty(Codes(none));
        Assert.Equal(["misfire-suspended"], Codes(none with { Codes = [("P0463", "stored")] }));
        Assert.Equal(["only-while-turning"], Codes(none with { Codes = [("P0340", "stored")] }));
        Assert.Empty(Codes(none with { Codes = [("P0340", "present")] }));
        Assert.Equal(["own-testing"], Codes(none with { Codes = [("P0340", "own testing")] }));
        Assert.Equal(["weak-battery"], Codes(none with { BatteryVolts = 12.1 }));
        Assert.Equal(["cleared", "cleared"], Codes(none with { ClearedAt = DateTime.UtcNow, BatteryOffAt = DateTime.UtcNow }));
        Assert.Equal(["probably-cleared"], Codes(none with { Codes = [("P0301", "permanent")] }));
    }

    private static Channel Made(string name, string unit, Func<double, double> value) =>
        new(name, unit, s_time, [.. Enumerable.Range(0, s_time.Count).Select(i => (float)value(s_time[i]))]);
}
