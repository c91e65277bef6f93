using Maschera.Core.Signals;
using Xunit;

namespace Maschera.Formats.Tests;

/// <summary>Columns that a logger tells in words.</summary>
public class StateWordsTests
{
    [Theory]
    [InlineData("Off", "On")]
    [InlineData("no", "yes")]
    [InlineData("Inactive", "Active")]
    [InlineData("closed", "open")]
    [InlineData("released", "pressed")]
    [InlineData("aus", "ein")]
    public void Rest_is_0_and_its_opposite_1_whichever_comes_first(string rest, string opposite)
    {
        foreach (var first in (bool[])[true, false])
        {
            var cells = Enumerable.Range(0, 40).Select(i => i / 10 % 2 == 0 == first ? rest : opposite).ToList();
            var channel = Read(cells).Channels[0];
            Assert.Equal([rest, opposite], channel.Words);
            Assert.Equal(cells.Select(c => c == rest ? 0f : 1f), channel.Samples);
        }
    }

    [Fact]
    public void Words_nobody_knows_get_numbers_in_the_order_they_come_and_a_note_says_which()
    {
        var capture = Read(["searching", "searching", "in step", "Searching", "lost tooth", "---", "", "in step"]);
        var channel = capture.Channels[0];
        Assert.Equal(["searching", "in step", "lost tooth"], channel.Words);
        Assert.Equal([0, 0, 1, 0, 2, float.NaN, float.NaN, 1], channel.Samples);
        Assert.Contains(
            capture.Notes,
            n => n.Code == "words" && n.Text.Contains("searching is 0, in step is 1, lost tooth is 2", StringComparison.Ordinal)
        );
        Assert.Contains(capture.Notes, n => n.Code == "missing-values" && n.Text.Contains("2 cells", StringComparison.Ordinal));
    }

    [Fact]
    public void Words_may_outnumber_the_numbers_of_a_row()
    {
        var rows = Enumerable
            .Range(0, 30)
            .Select(i => $"{i * 0.1:0.0},Off,{(i > 10 ? "On" : "Off")},Inactive,Closed,{2.5 + i * 0.01:0.00}");
        var capture = Parse("Time (s),A,B,C,D,Pressure (bar)\n" + string.Join('\n', rows));
        Assert.Equal(["A", "B", "C", "D", "Pressure"], capture.Channels.Select(c => c.Name));
        Assert.Equal(19, capture.Find("B")!.Samples.Count(v => v == 1));
        Assert.Equal(2.79f, capture.Find("Pressure")!.Samples[^1]);
        Assert.Null(capture.Find("Pressure")!.Words);
    }

    [Fact]
    public void Free_text_is_no_state()
    {
        var channel = Read([.. Enumerable.Range(0, 100).Select(i => $"remark number {i}")]).Channels[0];
        Assert.True(channel.Samples.Count(float.IsNaN) > 60);
        Assert.True(channel.Words!.Count <= 32);
    }

    private static Capture Read(IReadOnlyList<string> cells) =>
        Parse("Time (s),State,Pressure (bar)\n" + string.Join('\n', cells.Select((cell, i) => $"{i * 0.1:0.0},{cell},{i * 0.5:0.0}")));

    private static Capture Parse(string text)
    {
        var bytes = System.Text.Encoding.UTF8.GetBytes(text + "\n");
        var layout = CsvFile.Inspect(new MemoryStream(bytes), "words.csv");
        var sink = new MemorySink();
        var notes = CsvFile.Read(new MemoryStream(bytes), layout, sink);
        return sink.ToCapture("words.csv", notes);
    }
}
