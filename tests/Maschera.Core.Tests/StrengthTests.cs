using System.Text.Json;
using Maschera.Core.Diagnosis;
using Maschera.Core.Readings;

namespace Maschera.Core.Tests;

/// <summary>The strengths of evidence with a workshop's corrections and counts on top.</summary>
public class StrengthTests
{
    private static readonly Dictionary<string, int> s_none = [];

    private const string Case = """
        { "complaints": ["misfire"], "codes": [ { "code": "P0303", "state": "stored" } ],
          "evidence": [ { "reading": "relative-compression", "verdict": "even" } ] }
        """;

    [Fact]
    public void Without_corrections_everything_is_as_shipped() =>
        Assert.Equal(Json(Likelihoods.Usual), Json(Likelihoods.Corrected("# nothing\n\n", s_none)));

    [Fact]
    public void A_corrected_weight_likelihood_code_and_minutes_take_the_place_of_the_shipped()
    {
        var more = Likelihoods.Corrected("fault spark-plug 60 cylinder", s_none);
        Assert.True(Share(more, "spark-plug") > Share(Likelihoods.Usual, "spark-plug") + 0.1);
        var code = Likelihoods.Corrected("code P0303 : injector-circuit=.9", s_none);
        Assert.True(Share(code, "injector-circuit") > Share(Likelihoods.Usual, "injector-circuit") + 0.1);
        var check = Likelihoods.Corrected("check borescope 7", s_none).Checks.First(c => c.Name == "borescope");
        Assert.Equal(7, check.Minutes);
        Assert.Contains("seen/dripping-injector", check.Readings);
        var seen = Likelihoods.Corrected("seen split-hose : boost-leak=.9", s_none).Verdicts("seen/split-hose")!["present"];
        Assert.Equal(new KeyValuePair<string, double>("boost-leak", 0.9), Assert.Single(seen));
    }

    [Theory]
    [InlineData("nonsense")]
    [InlineData("fault")]
    [InlineData("fault spark-plug")]
    [InlineData("shared cousins : ignition-coil=.5")]
    [InlineData("shared bank : ignition-coil=2")]
    [InlineData("fault spark-plug many cylinder")]
    [InlineData("fault spark-plug 0 cylinder")]
    [InlineData("fault spark-plug 6")]
    [InlineData("fault gremlin 6")]
    [InlineData("seen split-hose : gremlin=.5")]
    [InlineData("seen split-hose : boost-leak=1.5")]
    [InlineData("seen split-hose : boost-leak")]
    [InlineData("finding tea-leaves odd : boost-leak=.5")]
    [InlineData("code P03(( : boost-leak=.5")]
    [InlineData("check borescope 0")]
    [InlineData("check prayer 5")]
    [InlineData("accident knock 3")]
    [InlineData("said misfire : (a+)+$")]
    public void A_wrong_line_is_refused_with_its_number(string line)
    {
        var error = Assert.Throws<ReadingException>(() => Likelihoods.Corrected($"# first\n{line}\n", s_none));
        Assert.StartsWith("line 2:", error.Message, StringComparison.Ordinal);
    }

    [Fact]
    public void A_pattern_that_would_never_end_matches_nothing() =>
        Assert.Null(Likelihoods.Corrected("code (P+)+0 : boost-leak=.5", s_none).Code(new string('P', 60) + "1"));

    [Fact]
    public void Jobs_that_turned_out_to_be_a_fault_move_its_share_carefully_and_nothing_else_out_of_order()
    {
        double Weight(Likelihoods known, string fault) => known.Find(fault)!.Weight / known.Faults.Sum(f => f.Weight);
        var shipped = Weight(Likelihoods.Usual, "boost-leak");
        var one = Weight(Likelihoods.Corrected("", new Dictionary<string, int> { ["boost-leak"] = 1 }), "boost-leak");
        var forty = Weight(Likelihoods.Corrected("", new Dictionary<string, int> { ["boost-leak"] = 40 }), "boost-leak");
        Assert.InRange(one - shipped, 0.001, 0.01);
        Assert.Equal((100 * shipped + 40) / 140, forty, 0.001);
        var known = Likelihoods.Corrected("", new Dictionary<string, int> { ["boost-leak"] = 40, ["gremlin"] = 9 });
        Assert.Equal(
            Likelihoods.Usual.Find("spark-plug")!.Weight / Likelihoods.Usual.Find("immobiliser")!.Weight,
            known.Find("spark-plug")!.Weight / known.Find("immobiliser")!.Weight,
            1e-9
        );
    }

    private static double Share(Likelihoods known, string fault) =>
        Weighed(known).Suspects.Where(s => s.Fault == fault).Sum(s => s.Probability);

    private static string Json(Likelihoods known) => JsonSerializer.Serialize(Weighed(known));

    private static DecisionResult Weighed(Likelihoods known)
    {
        using var document = JsonDocument.Parse(Case);
        return Decision.Of(document.RootElement, known);
    }
}
