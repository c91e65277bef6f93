using System.Text.Json;
using Maschera.Core.Diagnosis;
using Maschera.Core.Readings;

namespace Maschera.Core.Tests;

/// <summary>What is known of a job, weighed.</summary>
public class DecisionTests
{
    private const string Misfire = """
        {"reading":"misfire","verdict":"single","cylinders":[{"cylinder":2,"misfires":80},{"cylinder":1,"misfires":0}]}
        """;

    [Fact]
    public void Probabilities_add_up_to_one_whatever_is_known()
    {
        foreach (var evidence in (string[])["", Misfire, $$"""{{Misfire}},{"reading":"relative-compression","verdict":"even"}"""])
        {
            var result = Decide("misfire", evidence);
            Assert.Equal(1, result.Suspects.Sum(s => s.Probability), 6);
            Assert.All(result.Suspects, s => Assert.InRange(s.Probability, 0, 1));
            Assert.Contains(result.Suspects, s => s.Fault == "something-else");
        }

        Assert.Contains(Decide("misfire", "").Notes, n => n.Code == "nothing-measured");
    }

    [Fact]
    public void A_picture_of_a_valve_that_stays_shut_names_it_at_its_cylinder()
    {
        var result = Decide("misfire", Misfire + """,{"reading":"cylinder-pressure","verdict":"intake-valve-stays-shut","cylinder":2}""");
        Assert.Equal(("intake-valve-not-opening", 2), (result.Suspects[0].Fault, result.Suspects[0].Cylinder));
        Assert.True(result.Suspects[0].Probability > 0.6, $"{result.Suspects[0].Probability}");
        Assert.NotEmpty(result.Suspects[0].For);
        Assert.True(result.Explained);
    }

    [Fact]
    public void A_sound_picture_clears_nothing_that_its_notes_say_it_can_not_tell()
    {
        DecisionResult Noted(string notes) =>
            Decide("misfire", Misfire + $$""",{"reading":"cylinder-pressure","verdict":"normal","cylinder":2,"notes":[{{notes}}]}""");
        bool ClearsTheCam(DecisionResult result) => result.RuledOut.Any(r => r is { Fault: "cam-timing-off", By: "cylinder-pressure" });
        double Leaks(DecisionResult result) =>
            result.Suspects.Single(s => s is { Fault: "leaking-exhaust-valve", Cylinder: 2 }).Probability;
        var sure = Noted("");
        var timing = Noted("""{"code":"shift-unsure","text":"why"}""");
        var leak = Noted("""{"code":"leak-unsure","text":"why"}""");
        Assert.True(ClearsTheCam(sure) && ClearsTheCam(leak));
        Assert.False(ClearsTheCam(timing));
        Assert.InRange(Leaks(leak) / Leaks(sure), 2, 6);
        Assert.InRange(Leaks(timing) / Leaks(sure), 0.9, 1.1);
    }

    [Fact]
    public void No_misfire_clears_no_injector_where_a_cylinder_fires_weakly()
    {
        double Restricted(string notes) =>
            Decide("lacks-power", $$"""{"reading":"misfire","verdict":"none","notes":[{{notes}}]}""")
                .Suspects.Where(s => s.Fault == "injector-restricted")
                .Sum(s => s.Probability);
        var (without, with) = (Restricted(""), Restricted("""{"code":"fires-weakly","text":"Cylinder 3 fires weakly."}"""));
        Assert.True(with > 1.5 * without, $"{without} to {with}");
    }

    [Fact]
    public void A_low_cylinder_that_seals_but_does_not_fill_speaks_for_its_valve_gear()
    {
        const string Low = """,{"reading":"relative-compression","verdict":"uneven","low":[{"position":3,"cylinder":2}]""";
        double Shut(string notes) =>
            Decide("misfire", Misfire + Low + notes + "}")
                .Suspects.First(s => s.Fault == "intake-valve-not-opening" && s.Cylinder == 2)
                .Probability;
        var (without, with) = (Shut(""), Shut(""","notes":[{"code":"short-of-air","text":"Cylinder 2 seals."}]"""));
        Assert.True(with > 2 * without, $"{without} to {with}");
        Assert.True(with < 0.9, $"{with}");
    }

    [Fact]
    public void Two_low_cylinders_that_do_not_fill_speak_each_for_its_own_valve_gear()
    {
        double Shut(int notes)
        {
            var said = string.Join(',', Enumerable.Repeat("""{"code":"short-of-air","text":"Seals."}""", notes));
            return Decide(
                "misfire",
                $$"""{"reading":"relative-compression","verdict":"uneven","low":[{"cylinder":2},{"cylinder":4}],"notes":[{{said}}]}"""
            )
                .Suspects.Where(s => s.Fault == "intake-valve-not-opening" && s.Cylinder is 2 or 4)
                .Sum(s => s.Probability);
        }

        Assert.True(Shut(2) > 2 * Shut(0), $"{Shut(0)} to {Shut(2)}");
        Assert.Equal(Shut(0), Shut(1), 1e-9);
    }

    [Fact]
    public void Even_compression_rules_out_what_would_have_shown_and_is_not_proposed_again()
    {
        var result = Decide("misfire", Misfire + """,{"reading":"relative-compression","verdict":"even"}""");
        Assert.Contains(result.RuledOut, r => r is { Fault: "leaking-exhaust-valve", By: "relative-compression" });
        Assert.DoesNotContain(result.RuledOut, r => r.Fault is "ignition-coil" or "spark-plug");
        Assert.DoesNotContain(result.Next, n => n.Check is "relative-compression" or "crank-misfire");
        Assert.NotEmpty(result.Next);
        var gain = result.Next.Select(n => n.Bits / n.Minutes).ToList();
        Assert.Equal(gain.OrderDescending(), gain);
    }

    [Fact]
    public void A_part_replaced_is_less_likely_but_not_gone_and_a_swap_that_moved_names_it()
    {
        double Coil(string more, string replaced = "") =>
            Decide("misfire", Misfire + more, replaced).Suspects.Where(s => s.Fault == "ignition-coil").Sum(s => s.Probability);
        var before = Coil("");
        var after = Coil("", """{"part":"ignition-coil","cylinder":2}""");
        Assert.InRange(after, 0.005, 0.5 * before);
        Assert.True(Coil(""",{"seen":"swap-moved","part":"ignition-coil","cylinder":2}""") > 0.6);
        Assert.True(Coil(""",{"seen":"swap-stayed","part":"ignition-coil","cylinder":2}""") < 0.5 * before);
    }

    [Fact]
    public void Two_faults_at_once_are_both_named()
    {
        var result = Decide(
            "rough-idle",
            """
            {"reading":"wheel-speeds","verdict":"sensor-fault","wheels":[{"wheel":"rear-left","state":"dead"}]},
            {"reading":"wheel-speeds","verdict":"sensor-fault","wheels":[{"wheel":"rear-left","state":"dead"}]},
            {"reading":"pressure-hold","verdict":"leaks","share":{"supply":0.95,"rest":0.05}}
            """
        );
        Assert.Contains(result.Suspects.Take(5), s => s is { Wheel: "rear-left" });
        Assert.Contains(result.Suspects.Take(5), s => s.Fault == "fuel-check-valve");
    }

    [Fact]
    public void A_hold_that_leaks_is_worth_another_with_a_way_shut()
    {
        const string leaks = """{"reading":"pressure-hold","verdict":"leaks"}""";
        Assert.Contains(
            Decide("hard-restart", leaks).Next,
            n => n.Check == "pressure-hold" && n.Text.Contains("shut", StringComparison.Ordinal)
        );
        Assert.DoesNotContain(
            Decide("hard-restart", """{"reading":"pressure-hold","verdict":"holds"}""").Next,
            n => n.Check == "pressure-hold"
        );
        var shut = """{"reading":"pressure-hold","verdict":"leaks","share":{"supply":0.9,"rest":0.1}}""";
        Assert.DoesNotContain(Decide("hard-restart", $"{leaks},{shut}").Next, n => n.Check == "pressure-hold");
    }

    [Fact]
    public void Counters_of_zero_after_clearing_weigh_nothing()
    {
        const string pass = """{"reading":"on-board-tests","verdict":"pass"}""";
        double Coil(string evidence, string more) =>
            Decide("misfire", evidence, "", more).Suspects.Where(s => s.Fault == "ignition-coil").Sum(s => s.Probability);
        Assert.True(Coil(pass, "") < 0.99 * Coil("", ""));
        Assert.Equal(Coil("", ""), Coil(pass, ",\"cleared\":true"), 9);
    }

    [Fact]
    public void What_is_not_known_is_a_note_and_what_can_not_be_is_refused()
    {
        var result = Decide("dances", """{"reading":"misfire","verdict":"purple"},{"seen":"ghost"}""");
        Assert.Equal(
            ["unknown-complaint", "unknown-evidence", "unknown-evidence"],
            result.Notes.Where(n => n.Code.StartsWith("unknown", StringComparison.Ordinal)).Select(n => n.Code)
        );
        foreach (
            var (evidence, replaced) in (ReadOnlySpan<(string, string)>)
                [
                    ("""{"reading":"misfire","verdict":"single","cylinder":9}""", ""),
                    ("3", ""),
                    ("", """{"part":"ignition-coil","cylinder":7}"""),
                    ("""{"reading":5}""", ""),
                ]
        )
            Assert.Throws<ReadingException>(() => Decide("misfire", evidence, replaced));
        Assert.Throws<ReadingException>(() => Decision.Of(JsonDocument.Parse("[]").RootElement));
    }

    [Fact]
    public void Every_word_of_the_file_is_one_that_exists()
    {
        var known = Likelihoods.Usual;
        Assert.Equal(45, known.Faults.Count);
        foreach (var check in known.Checks)
        foreach (var reading in check.Readings.Where(r => r != "-"))
        {
            Assert.NotNull(known.Verdicts(reading));
            Assert.All(known.Verdicts(reading)!.Values.SelectMany(v => v), p => Assert.NotNull(known.Find(p.Key)));
            Assert.All(known.Verdicts(reading)!.Values.SelectMany(v => v), p => Assert.InRange(p.Value, 0.01, 0.99));
        }
    }

    private static DecisionResult Decide(string complaint, string evidence, string replaced = "", string more = "") =>
        Decision.Of(
            JsonDocument
                .Parse(
                    """{"engine":{"cylinders":4,"firingOrder":[1,3,4,2]},"""
                        + $$"""
                        "complaints":["{{complaint}}"],"replaced":[{{replaced}}],"evidence":[{{evidence}}]{{more}}}
                        """
                )
                .RootElement
        );

    [Theory]
    [InlineData("Shakes at idle, misfire code for cylinder 3. Cold and hot, worse at idle", "misfire rough-idle")]
    [InlineData("Misfires for the first minute. Cold mornings", "misfire-cold")]
    [InlineData("Cranks but does not start", "cranks-no-start")]
    [InlineData("Lacks power on hills, smokes", "lacks-power smokes")]
    [InlineData("Squeaks at the rear left", "")]
    public void What_people_say_is_understood_as_the_complaints_it_names(string said, string complaints) =>
        Assert.Equal(complaints.Split(' ', StringSplitOptions.RemoveEmptyEntries), Likelihoods.Usual.Complained(said));

    [Fact]
    public void Every_complaint_that_people_say_has_its_likelihoods()
    {
        using var stream = typeof(Likelihoods).Assembly.GetManifestResourceStream("Maschera.Core.Diagnosis.likelihoods.txt")!;
        using var text = new StreamReader(stream);
        var said = text.ReadToEnd().Split('\n').Where(l => l.StartsWith("said ", StringComparison.Ordinal)).ToList();
        Assert.NotEmpty(said);
        Assert.All(said, line => Assert.NotNull(Likelihoods.Usual.Complaint(line.Split(' ')[1])));
    }
}
