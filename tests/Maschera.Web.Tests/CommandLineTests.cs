using System.Diagnostics;
using System.Text.Json;

namespace Maschera.Web.Tests;

/// <summary>The command line as a process: what it prints and how it ends.</summary>
public sealed class CommandLineTests : IDisposable
{
    /// <summary>The program where it is built: its libraries lie beside it.</summary>
    private static readonly string s_program = Path.GetFullPath(
        Path.Combine(AppContext.BaseDirectory, "../../../../../src/Maschera.Cli/bin/Release/net10.0/Maschera.Cli.dll")
    );

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
        start.ArgumentList.Add(s_program);
        foreach (var word in words)
            start.ArgumentList.Add(word);
        using var process = Process.Start(start)!;
        var errors = process.StandardError.ReadToEndAsync();
        var output = process.StandardOutput.ReadToEnd();
        process.WaitForExit();
        return (process.ExitCode, output, errors.Result);
    }
}
