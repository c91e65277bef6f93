using System.Text.Json;
using System.Text.Json.Nodes;
using Maschera.Core.Diagnosis;

namespace Maschera.Core.Tests;

/// <summary>Hidden faults looked for check by check: what is decided has to find them, and for less work than an order of old.</summary>
public class SearchTests
{
    private static readonly Likelihoods s_known = Likelihoods.Usual;

    [Fact]
    public void What_is_decided_finds_nine_of_ten_hidden_faults_for_three_fifths_of_the_minutes()
    {
        var seeds = Enumerable.Range(5_000, 120).ToList();
        var decided = seeds.Select(s => Search.For(Hidden(s), SearchWay.Decided)).ToList();
        var fixedOrder = seeds.Select(s => Search.For(Hidden(s), SearchWay.FixedOrder)).ToList();
        Assert.True(decided.Count(r => r.IsRight) >= 0.87 * seeds.Count, $"{decided.Count(r => r.IsRight)} of {seeds.Count}");
        Assert.True(decided.Sum(r => r.Minutes) <= 0.63 * fixedOrder.Sum(r => r.Minutes), $"{decided.Average(r => r.Minutes)} minutes");
        Assert.True(decided.Count(r => !r.IsRight && r.Probability >= 0.9) <= 0.04 * seeds.Count);
    }

    [Fact]
    public void What_is_called_sixty_to_eighty_percent_likely_is_right_about_as_often()
    {
        var likely = Enumerable
            .Range(7_000, 150)
            .Select(s => Search.For(Hidden(s), SearchWay.Decided, 0.6))
            .Where(r => r.Probability is >= 0.6 and < 0.8)
            .ToList();
        Assert.True(likely.Count >= 30, $"{likely.Count}");
        Assert.InRange(likely.Count(r => r.IsRight) / (double)likely.Count, 0.5, 0.95);
    }

    [Fact]
    public void The_same_seed_hides_and_answers_the_same()
    {
        for (var seed = 1; seed <= 10; seed++)
        {
            var (one, two) = (Hidden(seed), Hidden(seed));
            Assert.Equal((one.Fault, one.Cylinder, one.Wheel, one.Complaint), (two.Fault, two.Cylinder, two.Wheel, two.Complaint));
            foreach (var check in s_known.Checks)
                Assert.Equal(Json(one.Make(check.Name)), Json(two.Make(check.Name)));
        }
    }

    [Fact]
    public void A_check_answers_the_same_in_whatever_order_checks_are_made_and_each_by_chances_of_its_own()
    {
        List<string> first = [];
        for (var seed = 1; seed <= 40; seed++)
        {
            var (one, two) = (Hidden(seed), Hidden(seed));
            one.Make("look");
            var compression = Json(one.Make("relative-compression"));
            Assert.Equal(compression, Json(two.Make("relative-compression")));
            var sound = HiddenCase.Of(s_known, 4, s_known.Find("spark-plug")!, 2, seed);
            first.Add($"{sound.Make("crank-misfire")[0]["verdict"]}-{sound.Make("exhaust-pulses")[0]["verdict"]}");
        }

        // Found by one and missed by the other happens both ways.
        Assert.Contains("single-even", first);
        Assert.True(first.Distinct().Count() >= 3, string.Join(", ", first.Distinct()));
    }

    [Fact]
    public void Every_answer_is_evidence_that_the_decision_understands()
    {
        for (var seed = 100; seed < 160; seed++)
        {
            var hidden = Hidden(seed);
            var evidence = new JsonArray();
            foreach (var check in s_known.Checks.Where(c => c.Name != "codes"))
            foreach (var reading in check.Readings)
            foreach (var item in hidden.Make(check.Name, reading, 1))
                evidence.Add((JsonNode)item);
            using var document = JsonDocument.Parse(
                new JsonObject
                {
                    ["engine"] = new JsonObject { ["cylinders"] = hidden.Cylinders },
                    ["evidence"] = evidence,
                }.ToJsonString()
            );
            Assert.DoesNotContain(Decision.Of(document.RootElement).Notes, n => n.Code == "unknown-evidence");
        }
    }

    [Fact]
    public void A_transducer_in_another_cylinder_does_not_see_the_fault()
    {
        var fault = s_known.Find("exhaust-valve-not-opening")!;
        string Seen(int at, int seed) =>
            (string)HiddenCase.Of(s_known, 4, fault, 2, seed).Make("in-cylinder-pressure", null, at)[0]["verdict"]!;
        Assert.True(Enumerable.Range(1, 50).Count(s => Seen(2, s) == "exhaust-valve-stays-shut") >= 40);
        Assert.True(Enumerable.Range(1, 50).Count(s => Seen(3, s) == "normal") >= 45);
    }

    [Fact]
    public void A_hold_that_leaks_is_held_again_with_a_way_shut_to_tell_where()
    {
        var hidden = HiddenCase.Of(s_known, 4, s_known.Find("fuel-check-valve")!, null, 3);
        Assert.Equal("leaks", (string?)hidden.Make("pressure-hold")[0]["verdict"]);
        Assert.NotNull(hidden.Make("pressure-hold")[0]["share"]);
    }

    [Fact]
    public void Each_outcome_of_the_next_check_says_who_would_lead_and_outcomes_are_no_more_than_certain()
    {
        using var document = JsonDocument.Parse(
            """
            { "engine": { "cylinders": 4 }, "complaints": ["rough-idle"], "codes": [],
              "evidence": [ { "reading": "relative-compression", "verdict": "uneven", "low": [ { "cylinder": 3 } ] } ] }
            """
        );
        var decided = Decision.Of(document.RootElement);
        var next = decided.Next.First(n => n.Check == "leak-down");
        var exhaust = next.Outcomes.First(o => o.Reading == "seen/air-at-exhaust");
        Assert.Equal(("leaking-exhaust-valve", 3), (exhaust.Suspect, exhaust.SuspectCylinder));
        var now = decided.Suspects.First(s => s is { Fault: "leaking-exhaust-valve", Cylinder: 3 }).Probability;
        Assert.True(exhaust.Then > now + 0.2, $"{now} {exhaust.Then}");
        foreach (var check in decided.Next.Where(n => n.Outcomes.Count > 0))
        {
            Assert.All(check.Outcomes, o => Assert.InRange(o.Then, 0, 1));
            if (check.Outcomes.All(o => o.Reading == check.Outcomes[0].Reading))
                Assert.True(check.Outcomes.Sum(o => o.Probability) <= 1.001, check.Check);
        }
    }

    [Fact]
    public void A_check_of_one_component_leaves_that_of_another_where_the_case_says_so()
    {
        DecisionResult Of(string more) =>
            Parsed(
                $$"""
                { "complaints": ["cranks-no-start"], "codes": [ { "code": "P0335", "state": "stored" } ]{{more}},
                  "evidence": [ { "reading": "circuit", "verdict": "sound", "component": "crank sensor" } ] }
                """
            );
        Assert.DoesNotContain(Of("").Next, n => n.Check == "circuit");
        Assert.Contains(Of(""", "byComponent": true""").Next, n => n.Check == "circuit");
    }

    [Fact]
    public void Everything_a_person_is_told_of_stands_in_the_file()
    {
        Assert.All(s_known.Faults, f => Assert.NotEqual(f.Name.Replace('-', ' '), s_known.Plain(f.Name, null)));
        Assert.All(s_known.Faults.Where(f => f.Place == FaultPlace.Cylinder), f => Assert.Contains("cylinder 2", s_known.Plain(f.Name, 2)));
        Assert.All(s_known.ComplaintWords, c => Assert.StartsWith("It ", s_known.Told(c).Replace("There", "It").Replace("The", "It")));
        Assert.All(s_known.Checks, c => Assert.NotEmpty(s_known.HookUp(c.Name)));
    }

    private static DecisionResult Parsed(string json)
    {
        using var document = JsonDocument.Parse(json);
        return Decision.Of(document.RootElement);
    }

    private static HiddenCase Hidden(int seed) => HiddenCase.Draw(s_known, 4 + 2 * (seed % 2), seed);

    private static string Json(IReadOnlyList<JsonObject> items) => string.Join("\n", items.Select(i => i.ToJsonString()));
}
