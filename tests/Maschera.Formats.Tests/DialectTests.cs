using System.Globalization;
using System.Text;
using Maschera.Core.Signals;

namespace Maschera.Formats.Tests;

/// <summary>
/// One and the same log in every mixture of habits: what stands between cells, decimal sign, time, units, quotes, comments, encoding, ends
/// of lines. Each habit alone is easy; what is told from one may stand in the way of another.
/// </summary>
public class DialectTests
{
    private const int Rows = 12;

    private static readonly (string Name, string Unit, double[] Values)[] s_channels =
    [
        ("Engine speed", "rpm", [.. Enumerable.Range(0, Rows).Select(i => 2904.0 + 7 * i)]),
        ("Knock retard", "°", [.. Enumerable.Range(0, Rows).Select(i => i % 5 * 0.75)]),
        ("Boost pressure", "kPa", [.. Enumerable.Range(0, Rows).Select(i => 1013.25 - 2.5 * i)]),
        ("Fuel trim", "%", [.. Enumerable.Range(0, Rows).Select(i => i % 3 - 1.5)]),
    ];

    private static readonly double[] s_seconds = [.. Enumerable.Range(0, Rows).Select(i => 0.1 * i)];

    private sealed record Habits(
        char Delimiter,
        char Point,
        string Time,
        string Units,
        bool Quotes,
        bool Thousands,
        bool Trailing,
        string Around,
        string? Gap,
        string Comment,
        string End,
        Encoding Encoding
    );

    public static TheoryData<int> Seeds => [.. Enumerable.Range(1, 400)];

    [Theory]
    [MemberData(nameof(Seeds))]
    public void Any_mixture_of_habits_reads_alike(int seed)
    {
        var habits = Drawn(new Random(seed));
        var text = Written(habits);
        var capture = Load([.. habits.Encoding.GetPreamble(), .. habits.Encoding.GetBytes(text)]);
        Assert.True(capture.Channels.Count == s_channels.Length, $"{habits}\n{text}");
        foreach (var (channel, (name, unit, values)) in capture.Channels.Zip(s_channels))
        {
            Assert.True((channel.Name, channel.Unit) == (name, unit), $"{channel.Name}, {channel.Unit}: {habits}\n{text}");
            for (var i = 0; i < Rows; i++)
            {
                var right = IsGap(habits, name, i) ? float.IsNaN(channel.Samples[i]) : Math.Abs(channel.Samples[i] - values[i]) < 1e-3;
                Assert.True(right, $"{name} {channel.Samples[i]}: {habits}\n{text}");
                Assert.True(Math.Abs(channel.Time[i] - channel.Time.Start - s_seconds[i]) < 1e-6, $"{channel.Time[i]} s: {habits}\n{text}");
            }
        }

        Assert.Equal(habits.Gap is not null, capture.Notes.Any(n => n.Code == "missing-values"));
        Assert.DoesNotContain(capture.Notes, n => n.Code is "unnamed-columns" or "cut-short");
    }

    private static Habits Drawn(Random random)
    {
        T One<T>(params T[] of) => of[random.Next(of.Length)];
        var point = One('.', ',');
        var quotes = random.Next(3) == 0;
        return new(
            point == ',' ? One(';', '\t', '|') : One(',', ';', '\t', '|'),
            point,
            One("s", "s", "ms", "us", "clock", "date", "noon", "two columns"),
            One("round", "square", "underscore", "row", "row in brackets", "stroke", "comma"),
            quotes,
            random.Next(3) == 0,
            random.Next(5) == 0,
            One("", "", " "),
            One(null, null, "", "NaN", "---", "n/a", "∞", "out of range"),
            One("", "#", "//", ";"),
            One("\n", "\r\n", "\r"),
            One<Encoding>(new UTF8Encoding(false), new UTF8Encoding(true), Encoding.Unicode, Encoding.BigEndianUnicode, Encoding.Latin1)
        );
    }

    private static string Written(Habits habits)
    {
        var timeUnit = habits.Time is "ms" or "us" or "s" ? habits.Time : "";
        var heads = s_channels.Select(c => (c.Name, c.Unit)).Prepend(("Time", timeUnit));
        if (habits.Time == "two columns")
            heads = heads.Prepend(("Date", ""));
        List<string> lines = habits.Comment.Length > 0 ? [$"{habits.Comment} log of a drive", $"{habits.Comment} device 3, warm"] : [];
        if (habits.Units.StartsWith("row", StringComparison.Ordinal))
        {
            lines.Add(Line(habits, heads.Select(h => h.Item1)));
            var brackets = habits.Units != "row";
            lines.Add(Line(habits, heads.Select(h => brackets && h.Item2.Length > 0 ? $"[{h.Item2}]" : h.Item2)));
        }
        else
        {
            lines.Add(Line(habits, heads.Select(h => Headed(habits, h.Item1, h.Item2))));
        }

        for (var i = 0; i < Rows; i++)
            lines.Add(Line(habits, [.. Times(habits, s_seconds[i]), .. s_channels.Select((c, k) => Cell(habits, k, i))]));
        return string.Join(habits.End, lines) + habits.End;
    }

    private static string Line(Habits habits, IEnumerable<string> cells)
    {
        string Cell(string text) =>
            habits.Quotes || text.Contains(habits.Delimiter, StringComparison.Ordinal)
                ? $"\"{text}\""
                : habits.Around + text + habits.Around;
        return string.Join(habits.Delimiter, cells.Select(Cell)) + (habits.Trailing ? habits.Delimiter : "");
    }

    private static string Headed(Habits habits, string name, string unit) =>
        unit.Length == 0
            ? name
            : habits.Units switch
            {
                "round" => $"{name} ({unit})",
                "square" => $"{name} [{unit}]",
                "underscore" => $"{name}_{unit}",
                "stroke" => $"{name}/{unit}",
                _ => $"{name}, {unit}",
            };

    private static string[] Times(Habits habits, double seconds)
    {
        string Clock(string hours) => Pointed(habits, $"{hours}:00:0{seconds.ToString("0.0", CultureInfo.InvariantCulture)}");
        return habits.Time switch
        {
            "clock" => [Clock("10")],
            "noon" => [Clock("12") + " PM"],
            "date" => [$"2031-05-06 {Clock("23")}"],
            "two columns" => [habits.Point == ',' ? "06.05.2031" : "2031-05-06", Clock("10")],
            "ms" => [Pointed(habits, (1e3 * seconds).ToString("0.0", CultureInfo.InvariantCulture))],
            "us" => [(1e6 * seconds).ToString("0", CultureInfo.InvariantCulture)],
            _ => [Pointed(habits, seconds.ToString("0.000", CultureInfo.InvariantCulture))],
        };
    }

    /// <summary>The boost's fourth and fifth values may be missing.</summary>
    private static bool IsGap(Habits habits, string name, int row) => habits.Gap is not null && name == "Boost pressure" && row is 3 or 4;

    private static string Cell(Habits habits, int channel, int row) =>
        IsGap(habits, s_channels[channel].Name, row) ? habits.Gap! : Number(habits, s_channels[channel].Values[row]);

    /// <summary>Thousands are marked with the sign that stands before no decimals.</summary>
    private static string Number(Habits habits, double value)
    {
        var text = value.ToString("0.##", CultureInfo.InvariantCulture);
        var whole = text.Split('.')[0];
        var grouped = habits.Thousands && value >= 1000 ? $"{whole[..^3]}{(habits.Point == ',' ? '.' : ',')}{whole[^3..]}" : whole;
        return grouped + Pointed(habits, text[whole.Length..]);
    }

    private static string Pointed(Habits habits, string text) => text.Replace('.', habits.Point);

    private static Capture Load(byte[] bytes)
    {
        var sink = new MemorySink();
        var layout = CsvFile.Inspect(new MemoryStream(bytes), "log.csv");
        var notes = CsvFile.Read(new MemoryStream(bytes), layout, sink, null, CancellationToken.None);
        return sink.ToCapture("log.csv", notes);
    }
}
