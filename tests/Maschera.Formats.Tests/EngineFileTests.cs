using Maschera.Formats;

namespace Maschera.Formats.Tests;

/// <summary>The engine file: read, checked, refused in one line.</summary>
public class EngineFileTests
{
    [Fact]
    public void Reads_every_field()
    {
        var engine = EngineFile.Parse(
            """
            { "name": "Orsa 1.4", "cylinders": 4, "firingOrder": [1, 3, 4, 2], "firingAngles": [0, 180, 360, 540],
              "banks": [[1, 2, 3, 4]], "stroke": 4, "fuel": "petrol",
              "crankWheel": { "teeth": 60, "missing": [2], "gapToTdc": 90 },
              "valveTiming": { "evo": 134, "evc": 372, "ivo": 348, "ivc": 588 },
              "geometry": { "boreMm": 82, "strokeMm": 86, "rodMm": 140, "compressionRatio": 10.2 },
              "camLimits": { "watch": 6, "fault": 10 } }
            """,
            "e.json"
        );
        Assert.Equal([1, 3, 4, 2], engine.FiringOrder);
        Assert.Equal((60, 90.0), (engine.CrankWheel!.Teeth, engine.CrankWheel.GapToTdc));
        Assert.Equal((588, 10.2, 10), (engine.ValveTiming!.Ivc, engine.Geometry!.CompressionRatio, engine.CamLimits!.Fault));
    }

    [Theory]
    [InlineData("""{ "cylinders": 4, "firingOrder": [1, 3, 4, 4] }""", "more than once")]
    [InlineData("""{ "cylinders": 4, "firingOrder": [1, 3, 4] }""", "missing")]
    [InlineData("""{ "cylinders": 4, "firingOrder": [1, 3, 4, 7] }""", "no cylinder 7")]
    [InlineData("""{ "cylinders": 17, "firingOrder": [1] }""", "1 to 16")]
    [InlineData("""{ "cylinders": 2, "firingOrder": [1, 2], "firingAngles": [0, 180, 360] }""", "3 firing angles")]
    [InlineData("""{ "cylinders": 2, "firingOrder": [1, 2], "firingAngles": [90, 180] }""", "first firing angle is 0")]
    [InlineData("""{ "cylinders": "four", "firingOrder": [1] }""", "cylinders")]
    [InlineData("{ \"cylinders\": 4,", "broken")]
    [InlineData("""{ "cylinders": 2, "firingOrder": null }""", "missing from the firing order")]
    [InlineData("""{ "cylinders": 2, "firingOrder": [1, 2], "banks": [null] }""", "every cylinder once")]
    [InlineData(
        """{ "cylinders": 1, "firingOrder": [1], "crankWheel": { "teeth": 60, "missing": [2147483647, 2147483647] } }""",
        "tooth places"
    )]
    [InlineData("""{ "cylinders": 1, "firingOrder": [1], "crankWheel": { "teeth": 0 } }""", "tooth places")]
    [InlineData("""{ "cylinders": 1, "firingOrder": [1], "crankWheel": { "teeth": 60, "gapToTdc": 400 } }""", "0 to 360")]
    [InlineData(
        """{ "cylinders": 1, "firingOrder": [1], "geometry": { "boreMm": 1e308, "strokeMm": 86, "rodMm": 140, "compressionRatio": 10 } }""",
        "millimetres"
    )]
    [InlineData("""{ "cylinders": 1, "firingOrder": [1], "geometry": { "boreMm": 82 } }""", "positive")]
    [InlineData("""{ "cylinders": 1, "firingOrder": [1], "valveTiming": { "evo": 0, "evc": 0, "ivo": 0, "ivc": 0 } }""", "stay open")]
    [InlineData("""{ "cylinders": 1, "firingOrder": [1], "valveTiming": { "evo": 130 } }""", "stay open")]
    [InlineData("""{ "cylinders": 1, "firingOrder": [1], "camLimits": { "watch": -1 } }""", "watch at or below fault")]
    [InlineData("""{ "cylinders": 1, "firingOrder": [1], "camPattern": [null] }""", "Edges")]
    [InlineData("""{ "cylinders": 1, "firingOrder": [1], "camPattern": [{ "degrees": 1e300 }] }""", "Edges")]
    [InlineData("""{ "cylinders": 1, "firingOrder": [1], "mounting": {} }""", "first end")]
    public void Refuses_in_one_line_and_says_why(string text, string why)
    {
        var error = Assert.Throws<CaptureFormatException>(() => EngineFile.Parse(text, "e.json"));
        Assert.StartsWith("e.json", error.Message, StringComparison.Ordinal);
        Assert.Contains(why, error.Message, StringComparison.Ordinal);
        Assert.DoesNotContain('\n', error.Message);
    }

    [Fact]
    public void A_name_of_thousands_of_letters_is_refused()
    {
        var text = $$"""{ "name": "{{new string('x', 5_000)}}", "cylinders": 1, "firingOrder": [1] }""";
        Assert.Contains("at most 200", Assert.Throws<CaptureFormatException>(() => EngineFile.Parse(text, "e.json")).Message);
    }

    [Fact]
    public void What_is_left_out_is_what_it_is_on_most_engines()
    {
        var engine = EngineFile.Parse("""{ "name": null, "cylinders": 1, "firingOrder": [1], "crankWheel": { "teeth": 60 } }""", "e.json");
        Assert.Equal(("", 4), (engine.Name, engine.Stroke));
        Assert.Empty(engine.CrankWheel!.Missing);
    }
}
