using System.Text.Json;
using Maschera.Core.Diagnosis;

namespace Maschera.Core.Tests;

/// <summary>What a result as it is printed, a code or a sight speaks for.</summary>
public class DecisionEvidenceTests
{
    /// <summary>Evidence that leaves a technician no doubt, of the third of six cylinders where it has one.</summary>
    [Theory]
    [InlineData("leaking-exhaust-valve", "misfire", "P0303", """{"seen":"air-at-exhaust","cylinder":3}""")]
    [InlineData("leaking-intake-valve", "misfire", "P0303", """{"seen":"air-at-intake","cylinder":3}""")]
    [InlineData("worn-rings", "smokes", "", """{"seen":"air-at-oil-filler","cylinder":3}""")]
    [InlineData("head-gasket-coolant", "misfire-cold", "", "PULSES coolant")]
    [InlineData("intake-valve-not-opening", "misfire", "", "AT cylinder-pressure intake-valve-stays-shut")]
    [InlineData("exhaust-valve-not-opening", "rough-idle", "", "AT cylinder-pressure exhaust-valve-stays-shut")]
    [InlineData("exhaust-restricted", "lacks-power", "P2463", "AT cylinder-pressure exhaust-restricted")]
    [InlineData("cam-timing-off", "lacks-power", "P0016", "cam-timing fault")]
    [InlineData("phaser-stuck", "stalls", "P0011", "TRACKS stuck: Cam phaser desired, Cam phaser")]
    [InlineData("phaser-stuck", "rough-idle", "P0010", "ANSWERS intermittent: Oil control valve duty, Intake cam angle")]
    [InlineData("ignition-coil", "misfire", "P0353", """{"seen":"weak-spark","cylinder":3}""")]
    [InlineData("injector-restricted", "rough-idle", "P0269", """{"seen":"swap-moved","part":"injector-restricted","cylinder":3}""")]
    [InlineData(
        "injector-circuit",
        "misfire",
        "P0267",
        """{"reading":"circuit","verdict":"fault","cylinder":3,"component":"Injector 3"}"""
    )]
    [InlineData("fuel-pump-weak", "lacks-power", "P0087", "TRACKS below: Rail pressure desired, Rail pressure")]
    [InlineData("fuel-pressure-control", "stalls", "P0089", "ANSWERS no-response: Fuel metering valve duty, Rail pressure")]
    [InlineData("injection-timing-control", "smokes", "P0251", "TRACKS below: Start of injection set, Start of injection")]
    [InlineData("injection-timing-control", "knocks", "", "ANSWERS gives-up: Timing solenoid duty, Injection timing")]
    [InlineData("boost-actuator-stuck", "no-boost", "P0243", "ANSWERS intermittent: Wastegate duty, Boost pressure")]
    [InlineData("boost-actuator-stuck", "lacks-power", "P0234", "TRACKS overshoots: Charge pressure set, Charge pressure")]
    [InlineData("recirculation-valve-stuck", "hesitates", "P0401", "TRACKS above: EGR position desired, EGR position")]
    [InlineData("wire-crosstalk", "stalls", "", "FINDS spikes: Cam sensor")]
    [InlineData("wire-crosstalk", "stalls", "", "FINDS spikes: Sensor reference")]
    [InlineData("air-flow-sensor", "hesitates", "P0101", "FINDS spikes: Mass air flow")]
    [InlineData("rail-pressure-sensor", "lacks-power", "P0191", "FINDS spikes: Rail pressure")]
    [InlineData("crank-circuit", "cranks-no-start", "P0335", "WIRES Crank sensor")]
    [InlineData("cam-circuit", "hard-restart", "P0340", "WIRES Camshaft sensor")]
    [InlineData("signal-short", "warning-lamp", "P0123", "WIRES Throttle position sensor")]
    [InlineData("trigger-wheel", "stalls", "P0336", """{"reading":"pulse-count","verdict":"short","channels":{"signal":"Crank"}}""")]
    [InlineData("wheel-ring", "traction-lamp", "C0035", """{"reading":"pulse-count","verdict":"short","channels":{"signal":"Probe"}}""")]
    [InlineData("immobiliser", "cranks-no-start", "P0633", """{"reading":"start-conditions","verdict":"missing","first":"immobiliser"}""")]
    [InlineData("real-knock", "knocks", "", "knock likely-real")]
    [InlineData("mount-noise", "lacks-power", "", "knock likely-false")]
    public void What_leaves_no_doubt_is_the_first_suspect(string fault, string complaint, string code, string evidence)
    {
        var first = Decide(complaint, code, Written(evidence)).Suspects[0];
        Assert.Equal(fault, first.Fault);
        Assert.True(first.Probability > 0.3, $"{first.Probability:0.00}");
        Assert.True(first.Cylinder is null or 3, $"cylinder {first.Cylinder}");
    }

    [Theory]
    [InlineData("intake", "leaking-intake-valve", "Manifold")]
    [InlineData("exhaust", "leaking-exhaust-valve", "Tailpipe")]
    [InlineData("crankcase", "worn-rings", "Pick-up, fuel off")]
    public void Pulses_speak_for_what_shows_at_their_place_whatever_the_channel_is_called(string at, string fault, string channel)
    {
        double Of(string evidence) =>
            Decide("rough-idle", "", evidence).Suspects.FirstOrDefault(s => s.Fault == fault && s.Cylinder == 3)?.Probability ?? 0;
        var told = Of(Pulses(at, channel));
        Assert.True(told > 3 * Of(Pulses(at == "intake" ? "crankcase" : "intake", channel)), $"{told:0.00}");
    }

    [Fact]
    public void A_cylinder_that_only_lost_its_fire_at_the_intake_speaks_for_spark_and_fuel_and_not_for_its_valves()
    {
        double Of(string evidence, params string[] faults) =>
            Decide("rough-idle", "", evidence).Suspects.Where(s => s.Cylinder == 3 && faults.Contains(s.Fault)).Sum(s => s.Probability);
        var odd = Pulses("intake", "Pick-up");
        var lost = odd.Replace("\"verdict\"", "\"cause\":\"combustion\",\"verdict\"", StringComparison.Ordinal);
        Assert.NotEqual(odd, lost);
        Assert.True(
            Of(lost, "leaking-intake-valve", "intake-valve-not-opening") < 0.1 * Of(odd, "leaking-intake-valve", "intake-valve-not-opening")
        );
        Assert.True(Of(lost, "ignition-coil", "spark-plug", "injector-circuit", "injector-restricted") > 0.5);
    }

    [Fact]
    public void A_systems_own_failing_test_speaks_for_the_system_and_counters_for_their_cylinder()
    {
        const string failing = """
            {"reading":"on-board-tests","verdict":"fail","tests":[
            {"monitor":"31","monitorName":"Exhaust gas recirculation bank 1","cylinder":null,"passed":false}],"misfires":[COUNTED]}
            """;
        var system = Decide("hesitates", "", failing.Replace("COUNTED", "", StringComparison.Ordinal));
        Assert.Equal("recirculation-valve-stuck", system.Suspects[0].Fault);
        Assert.DoesNotContain(
            system.Suspects,
            s => s.Fault == "ignition-coil" && s.For.Any(f => f.Contains("on board", StringComparison.Ordinal))
        );

        var both = Decide(
            "hesitates",
            "",
            failing.Replace("COUNTED", """{"cylinder":3,"lastCycle":240,"tenCycleAverage":210}""", StringComparison.Ordinal)
        );
        Assert.Contains(both.Suspects.Take(5), s => s.Fault == "recirculation-valve-stuck");
        Assert.Contains(both.Suspects.Take(5), s => s is { Fault: "ignition-coil" or "spark-plug", Cylinder: 3 });
    }

    [Fact]
    public void Misfires_that_the_module_counted_speak_although_every_test_passes()
    {
        var result = Decide(
            "misfire",
            "",
            """{"reading":"on-board-tests","verdict":"pass","tests":[],"misfires":[{"cylinder":3,"lastCycle":90,"tenCycleAverage":60}]}"""
        );
        Assert.Equal(3, result.Suspects[0].Cylinder);
    }

    [Theory]
    [InlineData("P0263", 1)]
    [InlineData("P0266", 2)]
    [InlineData("P0270", 4)]
    [InlineData("P0276", 6)]
    [InlineData("P0302", 2)]
    [InlineData("P0204", 4)]
    public void A_code_of_a_cylinder_names_it(string code, int cylinder) =>
        Assert.Equal(cylinder, Decide("misfire", code, "").Suspects[0].Cylinder);

    [Fact]
    public void A_misfire_code_of_the_start_is_not_one_of_the_sixteenth_cylinder()
    {
        var result = Decide("misfire", "P0316", "");
        Assert.DoesNotContain(result.Notes, n => n.Code == "unknown-code");
    }

    [Fact]
    public void A_diesel_has_no_spark_plug_that_fails()
    {
        double Plugs(string fuel) =>
            Decide("misfire", "P0303", "", $",\"fuel\":\"{fuel}\"")
                .Suspects.Where(s => s.Fault is "spark-plug" or "ignition-coil")
                .Sum(s => s.Probability);
        Assert.True(Plugs("petrol") > 0.3);
        Assert.True(Plugs("diesel") < 0.05);
        Assert.Equal("spark-plug", Decide("misfire", "P0303", SwapMoved("spark-plug"), ",\"fuel\":\"petrol\"").Suspects[0].Fault);
    }

    [Fact]
    public void A_fault_that_nothing_is_known_of_is_said_to_weigh_nothing()
    {
        var result = Decide("lacks-power", "", Written("TRACKS above: Swirl flap desired, Swirl flap"));
        var note = Assert.Single(result.Notes, n => n.Code == "not-weighed");
        Assert.Contains("Swirl flap", note.Text, StringComparison.Ordinal);
        Assert.DoesNotContain(
            Decide("lacks-power", "", Written("TRACKS tracks: Swirl flap desired, Swirl flap")).Notes,
            n => n.Code == "not-weighed"
        );
        Assert.DoesNotContain(
            Decide("lacks-power", "", Written("window inside")).Notes,
            n => n.Code is "not-weighed" or "unknown-evidence"
        );
    }

    [Fact]
    public void Words_inside_words_name_no_subject()
    {
        // "degrees" holds what a valve is called by, "wiring" what a wheel's ring is.
        var phaser = Decide("rough-idle", "", Written("TRACKS stuck: Camshaft angle set (degrees), Camshaft angle (degrees)"));
        Assert.Equal("phaser-stuck", phaser.Suspects[0].Fault);
        var wire = """
            {"reading":"circuit","verdict":"fault","wires":[{"wire":"signal","state":"short-to-supply",
            "text":"The signal's wiring stands at 12.7 V, more than its module can give: it touches a supply."}]}
            """;
        Assert.Equal("signal-short", Decide("warning-lamp", "", wire).Suspects[0].Fault);
    }

    [Fact]
    public void A_cylinder_that_is_named_is_hardly_a_chance_and_one_that_was_chosen_says_less()
    {
        double Cam(string evidence) =>
            Decide("lacks-power", "", Written(evidence)).Suspects.FirstOrDefault(s => s.Fault == "cam-timing-off")?.Probability ?? 0;
        Assert.True(Cam("AT cylinder-pressure valve-timing") > 0.6, $"{Cam("AT cylinder-pressure valve-timing"):0.00}");
        var named = """{"reading":"contribution","verdict":"one-odd","cylinders":[{"cylinder":3,"isOdd":true}]}""";
        Assert.True(Cam(named) < 0.03, $"{Cam(named):0.000}");
    }

    [Fact]
    public void Something_else_holds_no_suspect_that_is_on_the_list()
    {
        var result = Decide("misfire", "", "");
        Assert.True(result.Suspects.Single(s => s.Fault == "something-else").Probability < 0.15);
        Assert.True(result.Suspects.Count > 60, $"{result.Suspects.Count} suspects");
    }

    [Fact]
    public void No_check_tells_more_than_there_is_to_know()
    {
        foreach (var code in (string[])["", "P0335", "P0087", "P0303", "P0642"])
        {
            var result = Decide("stalls", code, "");
            var open = -result.Suspects.Where(s => s.Probability > 0).Sum(s => s.Probability * Math.Log2(s.Probability));
            Assert.All(result.Next, n => Assert.InRange(n.Bits, 0, open + 0.01));
        }
    }

    private static string SwapMoved(string part) => $$"""{"seen":"swap-moved","part":"{{part}}","cylinder":3}""";

    private static string Pulses(string at, string channel) =>
        $$"""
            {"reading":"pulses","verdict":"one-odd","at":"{{at}}","channels":{"pulse":"{{channel}}","sync":"Ignition"},
            "cylinders":[{"cylinder":3,"isOdd":true},{"cylinder":4,"isOdd":false}]}
            """;

    /// <summary>Evidence in full, of a line that says what counts.</summary>
    private static string Written(string evidence)
    {
        var words = evidence.Split(' ', 3);
        var rest = evidence[(evidence.IndexOf(": ", StringComparison.Ordinal) + 2)..].Split(", ");
        return words[0] switch
        {
            "PULSES" => Pulses(words[1], "Pick-up"),
            "AT" => $$"""{"reading":"{{words[1]}}","verdict":"{{words[2]}}","cylinder":3}""",
            "TRACKS" => Named("tracking", words[1].TrimEnd(':'), $$"""{"desired":"{{rest[0]}}","actual":"{{rest[1]}}"}"""),
            "ANSWERS" => Named("response", words[1].TrimEnd(':'), $$"""{"command":"{{rest[0]}}","response":"{{rest[1]}}"}"""),
            "FINDS" => "{\"reading\":\"plausibility\",\"verdict\":\"implausible\",\"findings\":"
                + $$"""[{"channel":"{{rest[0]}}","kind":"{{words[1].TrimEnd(':')}}","coincidesWith":"Coil 2"}]}""",
            "WIRES" => "{\"reading\":\"circuit\",\"verdict\":\"fault\",\"wires\":"
                + $$"""[{"wire":"signal","state":"short-to-ground","text":"{{evidence[6..]}}: signal short to ground"}]}""",
            _ when evidence[0] != '{' => $$"""{"reading":"{{words[0]}}","verdict":"{{words[1]}}"}""",
            _ => evidence,
        };
    }

    private static string Named(string reading, string verdict, string channels) =>
        $$"""{"reading":"{{reading}}","verdict":"{{verdict}}","channels":{{channels}}}""";

    private static DecisionResult Decide(string complaint, string code, string evidence, string more = "")
    {
        var codes = code.Length > 0 ? $$"""[{"code":"{{code}}","state":"stored"}]""" : "[]";
        return Decision.Of(
            JsonDocument
                .Parse(
                    "{\"engine\":{\"cylinders\":6,\"firingOrder\":[1,5,3,6,2,4]"
                        + more
                        + $$"""},"complaints":["{{complaint}}"],"codes":{{codes}},"evidence":[{{evidence}}]}"""
                )
                .RootElement
        );
    }
}
