using Maschera.Rig;
using Maschera.Store;

namespace Maschera.Web.Tests;

/// <summary>The report from the command line: whole or one sentence, also while a server runs on the folder.</summary>
public sealed class ReportCommandTests : ServerProcess
{
    private readonly string _file;

    public ReportCommandTests() => _file = Path.Combine(Folder, "report.html");

    [Fact]
    public async Task A_job_is_written_as_one_file_while_the_server_runs()
    {
        using var client = await StartAsync();
        using (var db = Open())
        {
            var job = OneJob.Take(db, EngineCatalogue.Orsa);
            job.Vehicle = "Orsa 1.4, cheese cart";
            var run = CrankingRun.Record(new CrankingPlan(EngineCatalogue.Orsa) { SyncCylinder = 1, Faults = [new(3, 2.6)] });
            OneJob.Keep(db, job.Id, "cranking", run.Capture, new Conditions("cranking", 80, "fuel", null, "ignition", 1));
        }

        var (code, said) = Report("1", "--out", _file, "--data", Folder);
        Assert.True(code == 0, said);
        var html = await File.ReadAllTextAsync(_file, TestContext.Current.CancellationToken);
        Assert.Contains("Orsa 1.4, cheese cart", html, StringComparison.Ordinal);
        Assert.Contains("Compression is uneven", html, StringComparison.Ordinal);
        Assert.Contains("</html>", html, StringComparison.Ordinal);
        Assert.True((await client.GetAsync("/")).IsSuccessStatusCode);
        (code, said) = Report("77", "--out", _file + "x", "--data", Folder);
        Assert.Equal((2, false), (code, File.Exists(_file + "x")));
        Assert.Contains("There is no job 77", said, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("report takes a job's number")]
    [InlineData("report takes a job's number", "1")]
    [InlineData("report takes a job's number", "one", "--out", "x.html")]
    [InlineData("report takes a job's number", "-1", "--out", "x.html")]
    [InlineData("report takes a job's number", "1", "2", "--out", "x.html")]
    [InlineData("There is no data in", "1", "--out", "x.html", "--data", "/nowhere/at/all")]
    public void What_it_cannot_do_is_one_line(string why, params string[] words)
    {
        var (code, said) = Report(words);
        Assert.Equal(2, code);
        Assert.Contains(why, said, StringComparison.Ordinal);
        Assert.Single(said.Trim().Split('\n'));
    }

    private (int Code, string Said) Report(params string[] words)
    {
        var process = Run("Maschera.Web.dll", ["report", .. words]);
        var said = process.StandardError.ReadToEnd() + process.StandardOutput.ReadToEnd();
        process.WaitForExit();
        return (process.ExitCode, said);
    }
}
