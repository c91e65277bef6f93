using System.Text.Json;
using Maschera.Core.Diagnosis;
using Maschera.Core.Engines;
using Maschera.Core.Readings;

namespace Maschera.Core.Tests;

/// <summary>What cylinders share counts, and so does how hard a plug is to reach.</summary>
public class StructureTests
{
    private const string Four = """{"cylinders":4,"firingOrder":[1,3,4,2]}""";
    private const string Six = """{"cylinders":6,"firingOrder":[1,4,2,5,3,6],"banks":[[1,2,3],[4,5,6]]}""";

    private static DecisionResult Decide(string engine, string evidence, string codes = "") =>
        Weighed($$"""{"engine":{{engine}},"complaints":["misfire"],"evidence":[{{evidence}}],"codes":[{{codes}}]}""");

    private static DecisionResult Weighed(string json)
    {
        using var document = JsonDocument.Parse(json);
        return Decision.Of(document.RootElement);
    }

    private static string Misfires(params int[] cylinders) =>
        $$"""{"reading":"misfire","verdict":"several","cylinders":[{{string.Join(
            ',',
            cylinders.Select(c => $$"""{"cylinder":{{c}},"misfires":50}""")
        )}}]}""";

    private static double Of(DecisionResult result, string fault) => result.Suspects.Where(s => s.Fault == fault).Sum(s => s.Probability);

    [Fact]
    public void Two_cylinders_that_fire_a_turn_apart_speak_for_the_coil_they_may_share()
    {
        var companions = Decide(Four, Misfires(1, 4));
        var others = Decide(Four, Misfires(1, 2));
        Assert.True(Of(companions, "ignition-coil") > 2 * Of(others, "ignition-coil"));
        Assert.Contains(companions.Notes, n => n.Code == "shared-companions" && n.Text.Contains("1 and 4", StringComparison.Ordinal));
        Assert.DoesNotContain(others.Notes, n => n.Code == "shared-companions");
    }

    [Fact]
    public void Two_low_cylinders_side_by_side_speak_for_the_gasket_between_them()
    {
        DecisionResult Low(int one, int two) =>
            Decide(Six, $$"""{"reading":"relative-compression","verdict":"uneven","low":[{"cylinder":{{one}}},{"cylinder":{{two}}}]}""");
        var beside = Low(2, 3);
        Assert.Equal("head-gasket-between", beside.Suspects[0].Fault);
        Assert.Contains(beside.Suspects[0].Cylinder!.Value, (int[])[2, 3]);
        // 3 and 4 follow one another in number, but stand in two banks.
        Assert.True(Of(Low(3, 4), "head-gasket-between") < 0.5 * Of(beside, "head-gasket-between"));
        Assert.Contains(beside.Notes, n => n.Code == "shared-neighbours");
    }

    [Fact]
    public void A_whole_bank_speaks_for_what_the_bank_shares()
    {
        var bank = Decide(Six, Misfires(1, 2, 3));
        var across = Decide(Six, Misfires(1, 2, 5));
        foreach (var fault in (string[])["intake-leak", "cam-timing-off", "exhaust-restricted"])
            Assert.True(Of(bank, fault) > 1.2 * Of(across, fault), $"{fault}: {Of(bank, fault)} and {Of(across, fault)}");
        Assert.Contains(bank.Notes, n => n.Code == "shared-bank");
    }

    [Fact]
    public void Codes_of_several_cylinders_are_one_finding_and_two_coils_can_be_bad_at_once()
    {
        var result = Decide(Six, "", """{"code":"P0351"},{"code":"P0352"}""");
        var coils = result.Suspects.Where(s => s.Fault == "ignition-coil" && s.Cylinder is 1 or 2).ToList();
        Assert.Equal(2, coils.Count);
        Assert.All(coils, c => Assert.Contains("P0351, P0352 are set.", c.For));
        Assert.True(coils.Sum(c => c.Probability) > 0.45, $"{coils.Sum(c => c.Probability)}");
    }

    [Fact]
    public void A_supply_code_on_all_injectors_names_what_they_share()
    {
        var all = Decide(Four, "", string.Join(',', Enumerable.Range(1, 4).Select(c => $$"""{"code":"P020{{c}}"}""")));
        var one = Decide(Four, "", """{"code":"P0202"}""");
        Assert.Contains(all.Notes, n => n.Code == "shared-all");
        Assert.True(Of(all, "module-fault") > 3 * Of(one, "module-fault"));
    }

    [Fact]
    public void A_case_without_order_or_banks_weighs_as_before()
    {
        var evidence = Misfires(1, 4);
        Assert.DoesNotContain(Decide("""{"cylinders":8}""", evidence).Notes, n => n.Code.StartsWith("shared", StringComparison.Ordinal));
        Assert.Equal(1, Decide("""{"cylinders":8,"firingOrder":null,"banks":null}""", evidence).Suspects.Sum(s => s.Probability), 6);
    }

    [Theory]
    [InlineData("""{"cylinders":4,"firingOrder":"1342"}""", "firingOrder")]
    [InlineData("""{"cylinders":4,"banks":[1,2,3,4]}""", "banks")]
    [InlineData("""{"cylinders":4,"banks":[["a"]]}""", "banks")]
    [InlineData("""{"cylinders":4,"plugAccess":{"cylinders":[1]}}""", "plugAccess")]
    [InlineData("""{"cylinders":4,"plugAccess":{"cylinders":[1.5],"minutes":20}}""", "plugAccess")]
    [InlineData("""{"cylinders":4,"plugAccess":[1]}""", "engine")]
    public void What_is_no_list_of_cylinders_is_refused_by_its_name(string engine, string named) =>
        Assert.Contains(named, Assert.Throws<ReadingException>(() => Decide(engine, "")).Message, StringComparison.Ordinal);

    [Fact]
    public void A_plug_under_the_intake_makes_its_checks_longer_and_later()
    {
        const string Evidence = """{"reading":"misfire","verdict":"single","cylinders":[{"cylinder":5,"misfires":80}]}""";
        var free = Decide(Six, Evidence);
        var buried = Decide(Six[..^1] + ""","plugAccess":{"cylinders":[4,5,6],"minutes":60}}""", Evidence);
        foreach (var check in (string[])["in-cylinder-pressure", "borescope", "leak-down", "swap-part"])
        {
            var (before, after) = (free.Next.FirstOrDefault(n => n.Check == check), buried.Next.FirstOrDefault(n => n.Check == check));
            if (before is null || after is null || after.Cylinder != before.Cylinder)
                continue;
            Assert.Equal(before.Minutes + 60, after.Minutes);
            Assert.Contains("60 minutes of it", after.Text, StringComparison.Ordinal);
            Assert.True(Rank(buried, check) >= Rank(free, check));
        }

        Assert.Contains(buried.Next, n => n.Text.Contains("60 minutes of it", StringComparison.Ordinal));
        Assert.Equal(free.Suspects.Select(s => s.Probability), buried.Suspects.Select(s => s.Probability));
    }

    private static int Rank(DecisionResult result, string check) => result.Next.ToList().FindIndex(n => n.Check == check);

    [Fact]
    public void A_check_of_one_component_leaves_the_supplies_to_be_measured()
    {
        const string Wires = """
            {"reading":"circuit","verdict":"sound","component":"cam sensor","wires":[{"wire":"signal","state":"sound"}]}
            """;
        DecisionResult By(string each) =>
            Weighed($$"""{"engine":{{Four}},"byComponent":{{each}},"complaints":["warning-lamp"],"evidence":[{{Wires}}]}""");
        Assert.Contains(By("true").Next, n => n.Check == "supply-voltages");
        Assert.DoesNotContain(By("false").Next, n => n.Check == "circuit");
    }

    [Fact]
    public void A_plausible_log_speaks_for_each_sensor_in_it()
    {
        DecisionResult Log(string channels) =>
            Weighed(
                $$"""
                {"engine":{{Four}},"complaints":["lacks-power"],
                 "evidence":[{"reading":"plausibility","verdict":"plausible","channels":{{channels}}}]}
                """
            );
        var with = Of(Log("""{"1":"Air mass","2":"Rail pressure"}"""), "air-flow-sensor");
        Assert.True(with < 0.6 * Of(Log("""{"1":"Coolant temperature"}"""), "air-flow-sensor"));
    }

    [Theory]
    [InlineData("Sensor reference", "out-of-range", true)]
    [InlineData("Sensor supply 5V", "at-ground", true)]
    [InlineData("Fuel supply pressure", "out-of-range", false)]
    [InlineData("Coolant temperature", "out-of-range", false)]
    public void A_supply_off_its_level_speaks_for_what_pulls_it_down(string channel, string kind, bool speaks)
    {
        double With(string evidence) =>
            Of(Weighed($$"""{"engine":{{Four}},"complaints":["warning-lamp"],"evidence":[{{evidence}}]}"""), "reference-supply-short");
        var finding = $$"""{"reading":"plausibility","verdict":"implausible","findings":[{"channel":"{{channel}}","kind":"{{kind}}"}]}""";
        Assert.Equal(speaks, With(finding) > 3 * With(""));
    }

    [Fact]
    public void An_engine_says_which_plugs_lie_under_something_or_what_is_wrong_with_that()
    {
        Engine With(PlugAccess plugs) => new Engine("Six", [1, 4, 2, 5, 3, 6]) { Cylinders = 6, PlugAccess = plugs };
        Assert.Empty(With(new([4, 5, 6], 45)).Problems());
        foreach (var wrong in (PlugAccess[])[new([], 45), new([7], 45), new([4], 0), new([4], double.NaN), new(null!, 20)])
            Assert.Equal("PlugAccess", Assert.Single(With(wrong).Problems()).Field);
    }
}
