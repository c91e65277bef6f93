using System.Text;
using Maschera.Core.Signals;
using Maschera.Formats;

namespace Maschera.Formats.Tests;

/// <summary>CSV as instruments and loggers write it.</summary>
public class CsvTests
{
    [Theory]
    [InlineData("Time (s),A (V)\n0.0,1.5\n0.1,2.5\n0.2,3.5\n")]
    [InlineData("Time (s);A (V)\r\n0,0;1,5\r\n0,1;2,5\r\n0,2;3,5\r\n")]
    [InlineData("time_ms\tA_V\n0\t1.5\n100\t2.5\n200\t3.5\n")]
    [InlineData("# a remark\n; another\n// a third\nTime [s],A [V]\n0.0,1.5\n0.1,2.5\n0.2,3.5\n")]
    [InlineData("Time,A\n(ms),(V)\n\n0,1.5\n100,2.5\n200,3.5\n")]
    [InlineData("Time,A\nms,V\n0,1.5\n100,2.5\n200,3.5\n")]
    [InlineData("Recorded by hand\nsomewhere\n\nTime (s),A (V)\n0.0,1.5\n0.1,2.5\n0.2,3.5\n")]
    [InlineData("\"Time (s)\",\"A (V)\"\n\"0.0\",\"1.5\"\n\"0.1\",\"2.5\"\n\"0.2\",\"3.5\"\n")]
    [InlineData("Time (s), A (V)\n 0.0, 1.5\n 0.1, 2.5\n 0.2, 3.5\n")]
    [InlineData("Time (s),A (V),\n0.0,1.5,\n0.1,2.5,\n0.2,3.5,\n")]
    [InlineData("# sample rate: 10 Hz\nA (V)\n1.5\n2.5\n3.5\n")]
    [InlineData("# sample interval: 100 ms\nA (V)\n1.5\n2.5\n3.5\n")]
    [InlineData("Sampling rate;10;Hz\nA (V)\n1,5\n2,5\n3,5\n")]
    [InlineData("Time,A (V)\n10:00:00.0,1.5\n10:00:00.1,2.5\n10:00:00.2,3.5\n")]
    [InlineData("Time,A (V)\n23:59:59.9,1.5\n00:00:00.0,2.5\n00:00:00.1,3.5\n")]
    [InlineData("Time,A (V)\n2026-11-01 10:00:00.0,1.5\n2026-11-01 10:00:00.1,2.5\n2026-11-01 10:00:00.2,3.5\n")]
    [InlineData("Date,Time,A (V)\n2026-11-01,10:00:00.0,1.5\n2026-11-01,10:00:00.1,2.5\n2026-11-01,10:00:00.2,3.5\n")]
    [InlineData("Time,A (V)\n59:59.9,1.5\n60:00.0,2.5\n60:00.1,3.5\n")]
    [InlineData("Second,A_V\n0.0,1.5\n0.1,2.5\n0.2,3.5\n")]
    [InlineData("Time [s]|A [V]\n0,0|1,5\n0,1|2,5\n0,2|3,5\n")]
    [InlineData("Time|A\r\ns|V\r\n0.0|1.5|\r\n0.1|2.5|\r\n0.2|3.5|\r\n")]
    [InlineData("Time (s),A (V)\r0.0,1.5\r0.1,2.5\r0.2,3.5\r")]
    [InlineData("# sample rate: 10 Hz\nA (V),\n1.5,\n2.5,\n3.5,\n")]
    [InlineData("# sample rate: 10 Hz\rA (V)\r1.5\r2.5\r3.5")]
    [InlineData("ms;A [V]\n0;1,5\n100;2,5\n200;3,5\n")]
    [InlineData("Time (s),A (V)\n0.0,+1.5\n0.1,2.5e0\n0.2,3.50000000000000000000\n")]
    public void Every_dialect_gives_the_same_capture(string text)
    {
        var capture = Load(text);
        var channel = Assert.Single(capture.Channels);
        Assert.Equal(("A", "V"), (channel.Name, channel.Unit));
        Assert.Equal([1.5f, 2.5f, 3.5f], channel.Samples);
        Assert.Equal(0, channel.Time[0], 9);
        Assert.Equal(0.1, channel.Time[1], 9);
        Assert.Equal(0.2, channel.Time[2], 9);
    }

    [Theory]
    [InlineData("Time,A,B\n(s),(V),(furlong/ftn)\n0.0,1.5,1\n0.1,2.5,2\n", "A", "V")]
    [InlineData("Time,A,B\ns,V,mg/hub\n0.0,1.5,1\n0.1,2.5,2\n", "A", "V")]
    [InlineData("Group,A,,C\nTime,,B,\ns,V,mm3/st,V\n0.0,1.5,1,3\n0.1,2.5,2,3\n", "A", "V")]
    [InlineData("Time,A,B\ns,rad/s,bar/min\n0.0,1.5,1\n0.1,2.5,2\n", "A", "rad/s")]
    [InlineData("Time,A,B,C,D\ns,furl,furl,furl,furl\n0.0,1.5,1,2,3\n0.1,2.5,2,2,3\n", "A", "furl")]
    [InlineData("Time,A,B\n,V,\n0.0,1.5,1\n0.1,2.5,2\n", "A", "V")]
    public void One_unknown_unit_does_not_spoil_the_row_of_units(string text, string name, string unit)
    {
        var first = Load(text).Channels[0];
        Assert.Equal((name, unit), (first.Name, first.Unit));
        Assert.Equal([1.5f, 2.5f], first.Samples);
    }

    [Theory]
    [InlineData("Time (s),A (V),B (V)\n0.0,,\n0.1,,\n0.2,1,\n0.3,1,2\n0.4,1,2\n")]
    [InlineData("Time (s);A (V);B (V)\n0,0;;\n0,1;;\n0,2;;\n0,3;1;2\n0,4;1;2\n")]
    [InlineData("Time (s),A (V),B (V)\n0.0,1,\n0.1,1,\n0.2,1,\n")]
    public void Rows_that_begin_empty_keep_their_columns(string text)
    {
        var channels = Load(text).Channels;
        Assert.Equal(["A", "B"], channels.Select(c => c.Name));
        Assert.Equal(0, channels[0].Time[0], 9);
        Assert.True(float.IsNaN(channels[1].Samples[0]));
    }

    [Theory]
    [InlineData(3_000)]
    [InlineData(60_000)]
    public void A_long_remark_before_the_header_is_passed_over(int length)
    {
        var words = string.Concat(Enumerable.Repeat("wired to pin 3, rate unknown; ", length / 30));
        foreach (var mark in (string[])["# ", "; ", "// ", "Remark: "])
            Assert.Equal("A", Load($"{mark}{words}\nTime (s),A (V)\n0.0,1.5\n0.1,2.5\n0.2,3.5\n").Channels.Single().Name);
    }

    [Fact]
    public void A_row_with_too_few_cells_is_filled_up_and_said()
    {
        var capture = Load("Time (s),A (V),B (V)\n0.0,1,2\n0.1,1\n0.2,1,2\n0.3,1,2\n");
        Assert.True(float.IsNaN(capture.Channels[1].Samples[1]));
        Assert.Contains("line 3", capture.Notes.Single(n => n.Code == "short-rows").Text, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("utf-16", true)]
    [InlineData("utf-16BE", true)]
    [InlineData("utf-8", true)]
    [InlineData("iso-8859-1", false)]
    public void Encodings_are_told_apart(string name, bool mark)
    {
        var encoding = Encoding.GetEncoding(name);
        byte[] bytes = [.. mark ? encoding.GetPreamble() : [], .. encoding.GetBytes("Time (µs),Öl (°C)\n0,1\n100,2\n200,3\n")];
        var channel = Assert.Single(Load(bytes).Channels);
        Assert.Equal(("Öl", "°C"), (channel.Name, channel.Unit));
        Assert.Equal(1e-4, channel.Time.Step, 12);
    }

    [Fact]
    public void Thousands_marks_in_quotes_are_taken_out()
    {
        var capture = Load("Time (s),A (rpm)\n0.0,\"1,234.5\"\n0.1,\"12,345.5\"\n0.2,\"999.5\"\n");
        Assert.Equal([1234.5f, 12345.5f, 999.5f], capture.Channels[0].Samples);
    }

    [Fact]
    public void Values_out_of_range_are_gaps_and_said()
    {
        var capture = Load("Time (s),A (V)\n0,1\n1,∞\n2,NaN\n3,---\n4,\n5,2\n");
        Assert.Equal(4, capture.Channels[0].Samples.Count(float.IsNaN));
        Assert.Contains(capture.Notes, n => n.Code == "missing-values" && n.Text.Contains("4 cells", StringComparison.Ordinal));
    }

    [Fact]
    public void Uneven_steps_keep_their_times()
    {
        var channel = Load("Time (s),A (V)\n0.00,1\n0.10,2\n0.35,3\n0.40,4\n").Channels[0];
        Assert.False(channel.Time.IsUniform);
        Assert.Equal(0.35, channel.Time[2], 12);
    }

    [Fact]
    public void A_time_column_for_each_channel_gives_each_its_own_axis()
    {
        var capture = Load("Time A (s),A (V),Time B (s),B (bar)\n0.0,1,0.00,10\n0.1,2,0.05,20\n0.2,3,0.10,30\n,,0.15,40\n");
        Assert.Equal(3, capture.Find("A")!.Samples.Length);
        Assert.Equal([10f, 20f, 30f, 40f], capture.Find("B")!.Samples);
        Assert.Equal(0.05, capture.Find("B")!.Time.Step, 9);
    }

    [Fact]
    public void What_was_assumed_is_noted()
    {
        var capture = Load("Time,\n0,1\n1,2\n2,3\n");
        Assert.Contains(capture.Notes, n => n.Code == "time-unit-assumed");
        var headless = Load("0.0,1,5\n0.1,2,6\n0.2,3,7\n");
        Assert.Equal(["Column 2", "Column 3"], headless.Channels.Select(c => c.Name));
        Assert.Contains(headless.Notes, n => n.Code == "unnamed-columns");
    }

    [Fact]
    public void A_last_line_cut_short_is_left_out_and_said()
    {
        var capture = Load("Time (s),A (V),B (V)\n0,1,2\n1,2,3\n2,3");
        Assert.Equal(2, capture.Channels[0].Samples.Length);
        Assert.Contains(capture.Notes, n => n.Code == "cut-short");
    }

    [Theory]
    [InlineData("", null, "empty")]
    [InlineData("\n\n\n", null, "blank")]
    [InlineData("Time (s),A (V)\n", 1L, "no rows")]
    [InlineData("Time (s),A (V)\n0,1\n1,2\n2,3,4\n", 4L, "3 cells")]
    [InlineData("Time (s),A (V)\n0,1\n1,2\nTime (s),A (V)\n0,1\n", 4L, "second header")]
    [InlineData("Time (s),A (V)\n0,1\n1,2\n0.5,3\n", 4L, "backwards")]
    [InlineData("Time (s),A (V)\n0,1\n1,2\nlater,3\n", 4L, "not a time")]
    [InlineData("Time (s),A (V)\n0,1\n1,2\n2,\u0001\n", 4L, "control byte")]
    [InlineData("A (V),B (V)\n5,1\n3,2\n4,3\n", 2L, "no time column")]
    [InlineData("Time (s),A (V)\n0,\"1\n1,2\n2,3\n", 2L, "quote")]
    public void What_can_t_be_read_is_refused_with_its_line(string text, long? line, string why)
    {
        var error = Assert.Throws<CaptureFormatException>(() => Load(text));
        Assert.Contains("test.csv", error.Message, StringComparison.Ordinal);
        Assert.Contains(why, error.Message, StringComparison.Ordinal);
        Assert.DoesNotContain('\n', error.Message);
        if (line is not null)
            Assert.Equal(line, error.Line);
    }

    [Fact]
    public void Rows_beyond_a_buffer_and_a_block_are_all_read_right()
    {
        var text = new StringBuilder("Time (s),A (V)\n");
        for (var i = 0; i < 150_000; i++)
            text.Append(System.Globalization.CultureInfo.InvariantCulture, $"{i * 0.001:0.000},{i % 1000}.25\n");
        var channel = Load(text.ToString()).Channels[0];
        Assert.Equal(150_000, channel.Samples.Length);
        Assert.True(channel.Time.IsUniform);
        Assert.Equal(149.999, channel.Time.End, 6);
        Assert.All(Enumerable.Range(0, 150_000), i => Assert.Equal(i % 1000 + 0.25f, channel.Samples[i]));
    }

    [Fact]
    public void A_cancelled_read_stops()
    {
        using var cancel = new CancellationTokenSource();
        cancel.Cancel();
        Assert.Throws<OperationCanceledException>(() => Load("Time (s),A (V)\n0,1\n1,2\n"u8.ToArray(), cancel.Token));
    }

    private static Capture Load(string text) => Load(Encoding.UTF8.GetBytes(text));

    private static Capture Load(byte[] bytes, CancellationToken cancel = default)
    {
        var sink = new MemorySink();
        var layout = CsvFile.Inspect(new MemoryStream(bytes), "test.csv");
        var notes = CsvFile.Read(new MemoryStream(bytes), layout, sink, null, cancel);
        return sink.ToCapture("test.csv", notes);
    }

    [Theory]
    [InlineData("Sample rate: 10,000 Hz", 10_000)]
    [InlineData("Sample rate: 1,000,000 Hz", 1_000_000)]
    [InlineData("Sample rate: 1.000.000 Hz", 1_000_000)]
    [InlineData("Sample rate: 12.5 kHz", 12_500)]
    [InlineData("Sample rate: 12,5 kHz", 12_500)]
    [InlineData("Sample rate: 10000; bandwidth 20 MHz", 10_000)]
    [InlineData("Sample rate 250, bandwidth limited", 250)]
    [InlineData("Sample interval: 0,001 s", 1_000)]
    [InlineData("dt = 0.5 ms", 2_000)]
    [InlineData("# sample interval 2 ms", 500)]
    public void The_rate_in_the_head_is_read_as_it_is_written(string line, double rate)
    {
        using var stream = new MemoryStream(System.Text.Encoding.UTF8.GetBytes(line + "\nA (V)\n1.5\n2.5\n3.5\n"));
        Assert.Equal(rate, 1 / CsvFile.Inspect(stream, "r.csv").Interval!.Value, rate * 1e-9);
    }

    [Fact]
    public void Marks_between_thousands_are_noted()
    {
        using var stream = new MemoryStream(System.Text.Encoding.UTF8.GetBytes("Sample rate: 10,000 Hz\nA (V)\n1.5\n2.5\n"));
        Assert.Contains(CsvFile.Inspect(stream, "r.csv").Notes, n => n.Code == "rate-thousands");
    }

    /// <summary>The same five rows as instruments of many houses write them.</summary>
    [Theory]
    [InlineData("# logger 1\n# Time (s),RPM (rpm),Trim (%)\n", ",", ".", "0.{0}")]
    [InlineData("#Zeit [s];RPM [rpm];Trim [%]\n", ";", ",", "0,{0}")]
    [InlineData("// Time_s\tRPM_rpm\tTrim_%\n", "\t", ".", "0.{0}")]
    [InlineData("t/s;RPM/rpm;Trim/%\n", ";", ",", "0,{0}")]
    [InlineData("\"Time, s\",\"RPM, rpm\",\"Trim, %\"\n", ",", ".", "0.{0}")]
    [InlineData("Time,RPM (rpm),Trim (%)\n", ",", ".", "10:00:00.{0} AM")]
    [InlineData("Time,RPM (rpm),Trim (%)\n", ",", ".", "12:59:59.{0}pm")]
    [InlineData("Time,RPM (rpm),Trim (%)\n", ",", ".", "5/6/2031 3:00:00.{0} p.m.")]
    [InlineData("Datum;Zeit;RPM;Trim\n;;rpm;%\n", ";", ",", "06.05.2031;10:00:00,{0}")]
    [InlineData("Datum;Zeit;RPM [rpm];Trim [%]\n", ";", ",", "6.5.31;10:00:00,{0}")]
    public void Every_way_of_writing_time_and_names_reads_alike(string head, string delimiter, string point, string time)
    {
        var rows = Enumerable
            .Range(0, 5)
            .Select(i =>
                string.Join(
                    delimiter,
                    string.Format(null, time, i),
                    $"{800 + i}",
                    $"{1 + i}.5".Replace(".", point, StringComparison.Ordinal)
                )
            );
        var capture = Load(head + string.Join('\n', rows) + "\n");
        Assert.Equal([("RPM", "rpm"), ("Trim", "%")], capture.Channels.Select(c => (c.Name, c.Unit)));
        Assert.Equal([800f, 801, 802, 803, 804], capture.Channels[0].Samples);
        Assert.Equal([1.5f, 2.5f, 3.5f, 4.5f, 5.5f], capture.Channels[1].Samples);
        Assert.Equal(0.4, capture.Channels[0].Time.End - capture.Channels[0].Time.Start, 6);
        Assert.DoesNotContain(capture.Notes, n => n.Code is "missing-values" or "unnamed-columns");
    }

    [Fact]
    public void Noon_and_midnight_of_twelve_hours_come_where_they_belong()
    {
        var capture = Load("Time,A (V)\n11:59:59 AM,1\n12:00:00 PM,2\n1:00:00 PM,3\n11:59:59 PM,4\n12:00:00 AM,5\n");
        var time = capture.Channels[0].Time;
        Assert.Equal([0, 1, 3601, 43200, 43201], Enumerable.Range(0, 5).Select(i => time[i]));
    }

    [Theory]
    [InlineData("1 800")]
    [InlineData("1'800")]
    [InlineData("1’800")]
    [InlineData("1\u00A0800")]
    [InlineData("1\u202F800")]
    [InlineData("1.800")]
    [InlineData("\"1.800\"")]
    public void Thousands_may_be_marked_in_many_ways(string thousands)
    {
        var capture = Load($"Time (s);RPM (rpm);Trim (%)\n0,0;{thousands};1,5\n0,1;999,5;2,5\n0,2;{thousands.Trim('"')},25;3,5\n");
        Assert.Equal([1800f, 999.5f, 1800.25f], capture.Channels[0].Samples);
        Assert.Equal([1.5f, 2.5f, 3.5f], capture.Channels[1].Samples);
    }

    [Fact]
    public void Words_and_odd_groups_are_no_numbers()
    {
        var capture = Load("Time (s);A (V);B\n0,0;1 80;5\n0,1;1,5;6\n0,2;12'34;7\n0,3;0.125;8\n");
        Assert.Equal([float.NaN, 1.5f, float.NaN, 0.125f], capture.Channels[0].Samples);
        Assert.Contains(capture.Notes, n => n.Code == "missing-values");
    }

    [Fact]
    public void A_sentence_in_a_comment_names_no_columns()
    {
        var capture = Load("# taken at 12, warm\n0.0,1.5\n0.1,2.5\n0.2,3.5\n");
        Assert.Equal("Column 2", Assert.Single(capture.Channels).Name);
    }

    [Theory]
    [InlineData("Time;RPM;ECT\n;rpm;°C\n")]
    [InlineData("# drive\nTime;RPM;ECT\n;[rpm];[°C]\n")]
    public void Units_in_a_row_of_their_own_may_begin_with_none(string head)
    {
        var capture = Load(head + "10:00:00.0;800;20\n10:00:00.1;801;20\n10:00:00.2;802;21\n");
        Assert.Equal(["rpm", "°C"], capture.Channels.Select(c => c.Unit));
        Assert.Equal(["RPM", "ECT"], capture.Channels.Select(c => c.Name));
    }

    [Fact]
    public void A_comment_between_names_and_rows_is_no_row_of_units()
    {
        var capture = Load("Time;RPM;ECT\n; warm; idling\n10:00:00.0;800;20\n10:00:00.1;801;20\n10:00:00.2;802;21\n");
        Assert.Equal(["", ""], capture.Channels.Select(c => c.Unit));
        Assert.Equal(["RPM", "ECT"], capture.Channels.Select(c => c.Name));
    }
}
