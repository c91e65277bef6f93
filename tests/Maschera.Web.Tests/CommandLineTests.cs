using System.Diagnostics;
using System.Text.Json;

namespace Maschera.Web.Tests;

/// <summary>The command line as a process: what it prints and how it ends.</summary>
public sealed class CommandLineTests : IDisposable
{
    /// <summary>A program where it is built: its libraries lie beside it.</summary>
    internal static string Program(string name) =>
        Path.GetFullPath(Path.Combine(AppContext.BaseDirectory, $"../../../../../src/{name}/bin/Release/net10.0/{name}.dll"));

    private readonly string _folder = Directory.CreateTempSubdirectory("maschera").FullName;

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public void Duty_is_one_json_object_and_exit_0()
    {
        var rows = Enumerable.Range(0, 4000).Select(i => $"{i * 1e-4:0.0000},{(i % 100 < 40 ? 12 : 0.2)}");
        var (exit, output, _) = Run(
            "read",
            "duty",
            Write("d.csv", "Time (s),Control (V)\n" + string.Join("\n", rows) + "\n"),
            "--channel",
            "signal=control"
        );
        Assert.Equal(0, exit);
        using var json = JsonDocument.Parse(output);
        Assert.Equal("steady", json.RootElement.GetProperty("verdict").GetString());
        Assert.Equal(40, json.RootElement.GetProperty("dutyPercent").GetDouble(), 0.5);
        Assert.Equal(100, json.RootElement.GetProperty("frequencyHz").GetDouble(), 0.1);
        Assert.Equal("Control", json.RootElement.GetProperty("channels").GetProperty("signal").GetString());
    }

    [Fact]
    public void A_capture_that_can_t_answer_is_unusable_and_exit_0_without_a_number()
    {
        var rows = Enumerable.Range(0, 500).Select(i => $"{i * 1e-3:0.000},5.0");
        var (exit, output, _) = Run("read", "duty", Write("flat.csv", "Time (s),Signal (V)\n" + string.Join("\n", rows) + "\n"));
        Assert.Equal(0, exit);
        using var json = JsonDocument.Parse(output);
        Assert.Equal("unusable", json.RootElement.GetProperty("verdict").GetString());
        Assert.Equal(JsonValueKind.Null, json.RootElement.GetProperty("dutyPercent").ValueKind);
        Assert.NotEmpty(json.RootElement.GetProperty("notes").EnumerateArray());
    }

    [Theory]
    [InlineData("read", "duty", "nowhere.csv")]
    [InlineData("read", "nonsense", "nowhere.csv")]
    [InlineData("read", "duty")]
    [InlineData("read", "duty", "x.csv", "--no-such-word", "1")]
    [InlineData("read", "relative-compression", "x.csv")]
    [InlineData("dance")]
    public void Wrong_words_end_with_2_and_one_line(params string[] words)
    {
        var (exit, output, errors) = Run(words);
        Assert.Equal(2, exit);
        Assert.Empty(output);
        Assert.Single(errors.Trim().Split('\n'));
    }

    [Theory]
    [InlineData("Time (s),Anything at all (V)\n")]
    [InlineData("Time (s),\n")]
    [InlineData("")]
    public void The_only_channel_needs_no_name(string header)
    {
        var rows = Enumerable.Range(0, 4000).Select(i => $"{i * 1e-4:0.0000},{(i % 100 < 40 ? 12 : 0.2)}");
        var (exit, output, _) = Run("read", "duty", Write("only.csv", header + string.Join("\n", rows) + "\n"));
        Assert.Equal(0, exit);
        using var json = JsonDocument.Parse(output);
        Assert.Equal("steady", json.RootElement.GetProperty("verdict").GetString());
    }

    [Theory]
    [InlineData("csv")]
    [InlineData("wav")]
    [InlineData("zip")]
    public void A_stretch_of_a_channel_goes_into_another_format_and_reads_the_same_there(string ending)
    {
        var rows = Enumerable.Range(0, 4000).Select(i => $"{i * 1e-3:0.000},{i % 100 * 0.1:0.0},{i % 7}");
        var from = Write("all.csv", "Time (s),Ramp (V),Other (A)\n" + string.Join("\n", rows) + "\n");
        var to = Path.Combine(_folder, $"part.{ending}");
        var (exit, output, errors) = Run("convert", from, "--out", to, "--from", "1", "--to", "1,999", "--channel", "ramp");
        Assert.Equal((0, ""), (exit, errors));
        using var written = JsonDocument.Parse(output);
        var channel = Assert.Single(written.RootElement.GetProperty("channels").EnumerateArray());
        Assert.Equal(("Ramp", 1000), (channel.GetProperty("name").GetString(), channel.GetProperty("samples").GetInt32()));
        var again = Maschera.Formats.CaptureFile.Load(to);
        var ramp = Assert.Single(again.Channels);
        Assert.Equal(1000, ramp.Samples.Length);
        Assert.Equal(0.001, ramp.Time.Step, 1e-9);
        for (var i = 0; i < 1000; i++)
            Assert.Equal(i % 100 * 0.1, ramp.Samples[i] * (ending == "wav" ? 9.9 / Math.Max(1e-9, ramp.Samples.Max()) : 1), 0.001);
        // What is there is never written over.
        Assert.Equal(2, Run("convert", from, "--out", to).Exit);
        Assert.Empty(Directory.GetFiles(_folder, "*.half"));
    }

    [Theory]
    [InlineData("no format", "--out", "x.mp3")]
    [InlineData("no channel 'Rampe'", "--out", "x.csv", "--channel", "Rampe")]
    [InlineData("No samples lie there", "--out", "x.csv", "--from", "100")]
    [InlineData("before it begins", "--out", "x.csv", "--from", "2", "--to", "1")]
    [InlineData("takes seconds", "--out", "x.csv", "--from", "soon")]
    public void A_conversion_that_can_t_be_done_says_why_and_leaves_no_file(string why, params string[] words)
    {
        var from = Write("small.csv", "Time (s),Ramp (V)\n0,1\n0.1,2\n0.2,3\n0.3,4\n");
        var (exit, output, errors) = Run([
            "convert",
            from,
            .. words.Select(w => w.StartsWith("x.", StringComparison.Ordinal) ? Path.Combine(_folder, w) : w),
        ]);
        Assert.Equal((2, ""), (exit, output));
        Assert.Contains(why, Assert.Single(errors.Trim().Split('\n')), StringComparison.Ordinal);
        Assert.Equal("small.csv", Path.GetFileName(Assert.Single(Directory.GetFiles(_folder))));
    }

    [Fact]
    public void What_there_was_to_doubt_about_the_file_stands_among_the_notes()
    {
        var rows = Enumerable.Range(0, 4000).Select(i => $"{i * 1e-4:0.0000},{(i % 100 < 40 ? 12 : 0.2)}{(i == 700 ? "" : ",1")}");
        var (_, output, _) = Run(
            "read",
            "duty",
            Write("short.csv", "Time (s),Control (V),Other (A)\n" + string.Join("\n", rows) + "\n"),
            "--channel",
            "signal=control"
        );
        using var json = JsonDocument.Parse(output);
        var notes = json.RootElement.GetProperty("notes").EnumerateArray().ToDictionary(n => n.GetProperty("code").GetString()!);
        Assert.Contains("line 702", notes["short-rows"].GetProperty("text").GetString(), StringComparison.Ordinal);
    }

    [Fact]
    public void A_case_is_weighed_and_its_suspects_add_up()
    {
        const string known = """
            {"engine":{"cylinders":4,"firingOrder":[1,3,4,2]},"complaints":["misfire"],
             "evidence":[{"reading":"misfire","verdict":"single","cylinders":[{"cylinder":2,"misfires":80}]},
                         {"reading":"relative-compression","verdict":"even"}]}
            """;
        var (exit, output, errors) = Run("decide", Write("case.json", known));
        Assert.Equal((0, ""), (exit, errors));
        using var json = JsonDocument.Parse(output);
        var suspects = json.RootElement.GetProperty("suspects").EnumerateArray().ToList();
        Assert.Equal(1, suspects.Sum(s => s.GetProperty("probability").GetDouble()), 6);
        Assert.Equal(2, suspects[0].GetProperty("cylinder").GetInt32());
        Assert.NotEmpty(json.RootElement.GetProperty("next").EnumerateArray());
    }

    [Theory]
    [InlineData("no JSON", "{\"engine\": ")]
    [InlineData("no JSON", "complaints: misfire")]
    [InlineData("", "[]")]
    [InlineData("", "")]
    [InlineData(
        "cylinder 9",
        "{\"engine\":{\"cylinders\":4,\"firingOrder\":[1,3,4,2]},"
            + "\"evidence\":[{\"reading\":\"misfire\",\"verdict\":\"single\",\"cylinder\":9}]}"
    )]
    public void A_case_that_is_none_is_refused_in_one_line(string why, string text)
    {
        var (exit, output, errors) = Run("decide", Write("case.json", text));
        Assert.Equal((2, ""), (exit, output));
        Assert.Single(errors.Trim().Split('\n'));
        Assert.Contains("case.json", errors, StringComparison.Ordinal);
        Assert.Contains(why, errors, StringComparison.Ordinal);
    }

    [Fact]
    public void A_recording_of_cranking_tells_the_low_cylinder_without_naming_it()
    {
        var plan = new Rig.CrankingPlan(Rig.EngineCatalogue.Orsa)
        {
            Faults = [new(4, 5)],
            Phone = new Rig.PhoneSound(),
            Cranking = 4,
        };
        var (capture, _) = Rig.CrankingRun.Record(plan);
        var path = Path.Combine(_folder, "phone.wav");
        using (var file = File.Create(path))
            Formats.CaptureExport.WriteWav(file, "phone.wav", [new Core.Signals.MemoryReader(capture.Find("Sound")!)]);
        var engine = Write("orsa.json", """{"name":"o","cylinders":4,"firingOrder":[1,3,4,2]}""");
        var (exit, output, errors) = Run("read", "relative-compression", path, "--engine", engine, "--channel", "sound=1");
        Assert.True(exit == 0, errors);
        using var json = JsonDocument.Parse(output);
        Assert.Equal("uneven", json.RootElement.GetProperty("verdict").GetString());
        var low = Assert.Single(json.RootElement.GetProperty("low").EnumerateArray());
        Assert.Equal(JsonValueKind.Null, low.GetProperty("cylinder").ValueKind);
        Assert.InRange(low.GetProperty("percent").GetDouble(), 40, 75);
    }

    [Fact]
    public void A_probe_scales_its_column()
    {
        var rows = Enumerable.Range(0, 400).Select(i => $"{i * 1e-3:0.000},{(i % 10 < 5 ? 1.2 : 0)}");
        var (_, output, _) = Run(
            "read",
            "duty",
            Write("p.csv", "Time (s),Signal (V)\n" + string.Join("\n", rows) + "\n"),
            "--probe",
            "signal=10"
        );
        using var json = JsonDocument.Parse(output);
        Assert.Equal(12, json.RootElement.GetProperty("highVolts").GetDouble(), 1e-4);
    }

    private string Write(string name, string text)
    {
        var path = Path.Combine(_folder, name);
        File.WriteAllText(path, text);
        return path;
    }

    internal static (int Exit, string Output, string Errors) Run(params string[] words)
    {
        var start = new ProcessStartInfo("dotnet") { RedirectStandardOutput = true, RedirectStandardError = true };
        start.ArgumentList.Add(Program(words[0] == "import" ? "Maschera.Keeper" : "Maschera.Cli"));
        foreach (var word in words)
            start.ArgumentList.Add(word);
        using var process = Process.Start(start)!;
        var errors = process.StandardError.ReadToEndAsync();
        var output = process.StandardOutput.ReadToEnd();
        process.WaitForExit();
        return (process.ExitCode, output, errors.Result);
    }
}
