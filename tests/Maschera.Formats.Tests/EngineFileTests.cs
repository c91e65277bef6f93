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
    public void Refuses_in_one_line_and_says_why(string text, string why)
    {
        var error = Assert.Throws<CaptureFormatException>(() => EngineFile.Parse(text, "e.json"));
        Assert.StartsWith("e.json", error.Message, StringComparison.Ordinal);
        Assert.Contains(why, error.Message, StringComparison.Ordinal);
        Assert.DoesNotContain('\n', error.Message);
    }
}
