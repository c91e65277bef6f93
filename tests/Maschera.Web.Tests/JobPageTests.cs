using System.Net;
using System.Text.RegularExpressions;
using Maschera.App;
using Maschera.Core.Expressions;
using Maschera.Rig;
using Maschera.Store;

namespace Maschera.Web.Tests;

/// <summary>A job from what is known to its proof: trail, remarks, quote, repair, report, list.</summary>
public sealed class JobPageTests : IAsyncLifetime
{
    private ServerOnFolder _server = null!;
    private PageClient _page = null!;
    private int _job;

    public async ValueTask InitializeAsync()
    {
        _server = await ServerOnFolder.StartAsync(
            (db, _) =>
            {
                var job = OneJob.Take(db, EngineCatalogue.Camoscio);
                (job.Complaint, job.Vehicle, job.CreatedAt) = ("Lacks power uphill", "Camoscio, hay cart", DateTime.UtcNow.AddHours(-3));
                db.SaveChanges();
                _job = job.Id;
            }
        );
        _page = new PageClient(_server);
    }

    public async ValueTask DisposeAsync()
    {
        _page.Dispose();
        await _server.DisposeAsync();
    }

    [Fact]
    public async Task The_trail_writes_itself_with_what_each_finding_changed()
    {
        Drive(true, -100);
        var trail = await TrailAsync();
        Assert.Contains("Taken in: Lacks power uphill.", trail, StringComparison.Ordinal);
        Assert.Contains("Boost pressure stays below desired", trail, StringComparison.Ordinal);
        Assert.Matches(@"boost \w+( \w+)?: \d+ → \d+ %", trail);
        Assert.Contains("ruled out:", trail, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_remark_with_its_place_stands_in_the_trail_can_be_pinned_deleted_and_brought_back()
    {
        var bench = Drive(true, -100);
        await PostAsync("Remark", ("text", "Torn at the clamp <b>"), ("address", $"/bench/{bench}?from=1&to=2"));
        var trail = await TrailAsync();
        Assert.Contains("“Torn at the clamp <b>”", WebUtility.HtmlDecode(trail), StringComparison.Ordinal);
        Assert.Contains($"/bench/{bench}?from=1&to=2", trail, StringComparison.Ordinal);
        var picture = await _page.ReadAsync(Regex.Match(trail, @"/bench/\d+/picture\.svg\?from=1&to=2").Value);
        Assert.Contains("<svg", picture, StringComparison.Ordinal);
        Assert.DoesNotContain("Torn at the clamp", await ReportAsync(), StringComparison.Ordinal);
        int id;
        using (var db = _server.Open())
            id = db.Remarks.Single().Id;
        await _page.PostAsync($"/jobs/{_job}", $"/jobs/{_job}?handler=Pin&remark={id}");
        var report = await ReportAsync();
        Assert.Contains("Torn at the clamp", report, StringComparison.Ordinal);
        var drawn = Regex.Match(report, "data:image/svg\\+xml;base64,([^\"]+)").Groups[1].Value;
        Assert.Contains(
            "<svg",
            System.Text.Encoding.UTF8.GetString(Convert.FromBase64String(WebUtility.HtmlDecode(drawn))),
            StringComparison.Ordinal
        );
        await _page.PostAsync($"/jobs/{_job}", $"/jobs/{_job}?handler=DeleteRemark&remark={id}");
        Assert.DoesNotContain("Torn at the clamp", await TrailAsync(), StringComparison.Ordinal);
        await _page.PostAsync($"/jobs/{_job}", $"/jobs/{_job}?handler=UndeleteRemark&remark={id}");
        Assert.Contains("Torn at the clamp", await TrailAsync(), StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("https://elsewhere.example/")]
    [InlineData("//elsewhere.example/bench/1")]
    [InlineData("javascript:alert(1)")]
    [InlineData("/jobs/1")]
    public async Task A_remark_leads_nowhere_but_to_the_bench(string address)
    {
        await PostAsync("Remark", ("text", "seen"), ("address", address));
        using var db = _server.Open();
        Assert.Null(db.Remarks.Single().Address);
    }

    [Fact]
    public async Task Nothing_or_far_too_much_is_no_remark()
    {
        Assert.Equal(HttpStatusCode.BadRequest, (await PostAsync("Remark", ("text", " "))).StatusCode);
        Assert.Equal(HttpStatusCode.BadRequest, (await PostAsync("Remark", ("text", new string('a', 501)))).StatusCode);
        using var db = _server.Open();
        Assert.Empty(db.Remarks);
    }

    [Theory]
    [InlineData("Form.What", "", "Say what is to be renewed")]
    [InlineData("Form.Count", "0", "How many")]
    [InlineData("Form.Count", "lots", "is no number")]
    [InlineData("Form.Price", "-4", "A price lies between")]
    [InlineData("Form.Price", "1e308", "A price lies between")]
    [InlineData("Form.Days", "-2", "Days until it is there")]
    [InlineData("Form.Cures", "witchcraft", "There is no fault")]
    [InlineData("Form.Cures", "spark-plug/9", "The engine has 4 cylinders")]
    public async Task A_line_that_makes_no_sense_is_refused_and_what_was_typed_stays(string field, string value, string said)
    {
        var fields = new Dictionary<string, string>
        {
            ["Form.What"] = "Boost hose",
            ["Form.Number"] = "CM 1",
            ["Form.Count"] = "1",
        };
        fields[field] = value;
        var html = WebUtility.HtmlDecode(await (await LineAsync(fields)).Content.ReadAsStringAsync());
        Assert.Contains(said, html, StringComparison.Ordinal);
        Assert.Contains("CM 1", html, StringComparison.Ordinal);
        using var db = _server.Open();
        Assert.Empty(db.Work);
    }

    [Fact]
    public async Task A_repair_is_proved_by_the_same_check_under_like_conditions_and_by_nothing_else()
    {
        Drive(true, -100);
        Assert.Contains("Nothing fitted yet", await _page.ReadAsync($"/jobs/{_job}/quote"), StringComparison.Ordinal);
        var line = await HoseAsync();
        Assert.Contains("169.00", await _page.ReadAsync($"/jobs/{_job}/quote"), StringComparison.Ordinal);
        await StepAsync(line, "ordered");
        await StepAsync(line, "fitted");
        Assert.Equal(Proof.Open, ProofNow().Proof);
        Assert.Contains("desired and actual", ProofNow().Said, StringComparison.Ordinal);
        Fitted(line, -60);
        Drive(false, -30, celsius: 20);
        Assert.Equal(Proof.Open, ProofNow().Proof);
        Assert.Contains("88 °C, then 20 °C", ProofNow().Said, StringComparison.Ordinal);
        Drive(false, -10);
        Assert.Equal(Proof.Proved, ProofNow().Proof);
        var page = await _page.ReadAsync($"/jobs/{_job}?handler=Weighed");
        Assert.Contains(">Proved<", page, StringComparison.Ordinal);
        Assert.Contains("Boost leak", page, StringComparison.Ordinal);
        Assert.Contains("the repair is proved", await ReportAsync(), StringComparison.Ordinal);
        // What was fitted can be taken back a step, and the proof with it.
        await StepAsync(line, "back");
        Assert.Equal(Proof.NotRepaired, ProofNow().Proof);
    }

    [Fact]
    public async Task What_is_still_wrong_after_the_repair_is_never_called_proved()
    {
        Drive(true, -100);
        var line = await HoseAsync();
        Fitted(line, -60);
        Drive(true, -10);
        Assert.Equal(Proof.StillWrong, ProofNow().Proof);
        Assert.Contains("It is still wrong", await ReportAsync(), StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_deleted_line_leaves_the_sum_and_comes_back()
    {
        var line = await HoseAsync();
        await _page.PostAsync($"/jobs/{_job}/quote", $"/jobs/{_job}/quote?handler=Delete", ("line", $"{line}"));
        Assert.Contains("Nothing is proposed yet", await _page.ReadAsync($"/jobs/{_job}/quote"), StringComparison.Ordinal);
        await _page.PostAsync($"/jobs/{_job}/quote", $"/jobs/{_job}/quote?handler=Undelete&line={line}");
        Assert.Contains("169.00", await _page.ReadAsync($"/jobs/{_job}/quote"), StringComparison.Ordinal);
    }

    [Fact]
    public async Task The_report_says_in_plain_words_what_it_is_and_keeps_methods_to_itself()
    {
        Drive(true, -100);
        var html = await ReportAsync();
        Assert.Contains("What you told us", html, StringComparison.Ordinal);
        Assert.Contains("Boost pressure stays below desired", html, StringComparison.Ordinal);
        Assert.Contains("For the next workshop", html, StringComparison.Ordinal);
        Assert.Contains("What it is not", html, StringComparison.Ordinal);
        Assert.Contains("One more check before anything is renewed", html, StringComparison.Ordinal);
        Assert.DoesNotContain("10 and 90 % of the step on the line between samples", html, StringComparison.Ordinal);
    }

    [Fact]
    public async Task As_one_file_it_needs_nothing_beside_it()
    {
        Drive(true, -100);
        var file = await _page.ReadAsync($"/jobs/{_job}/report?handler=File");
        Assert.StartsWith("<!DOCTYPE html>", file.TrimStart('\uFEFF'), StringComparison.Ordinal);
        Assert.Contains("data:font/woff2;base64,", file, StringComparison.Ordinal);
        Assert.DoesNotMatch("<script|<link|src=\"|url\\(\"?/", file);
        Assert.Contains("Camoscio, hay cart", file, StringComparison.Ordinal);
    }

    [Fact]
    public async Task As_a_bundle_it_holds_the_report_and_each_capture()
    {
        Drive(true, -100);
        Drive(false, -50);
        var bytes = await _server.Client.GetByteArrayAsync($"/jobs/{_job}/report?handler=Bundle", TestContext.Current.CancellationToken);
        using var archive = new System.IO.Compression.ZipArchive(new MemoryStream(bytes));
        Assert.Equal(3, archive.Entries.Count);
        Assert.NotNull(archive.GetEntry("report.html"));
        using var capture = archive.Entries.First(e => e.FullName.StartsWith("captures/", StringComparison.Ordinal)).Open();
        using var inner = new MemoryStream();
        await capture.CopyToAsync(inner, TestContext.Current.CancellationToken);
        using var bundle = new System.IO.Compression.ZipArchive(inner);
        Assert.NotEmpty(bundle.Entries);
    }

    [Fact]
    public async Task The_list_shows_the_first_suspect_and_what_comes_next_and_follows_what_changes()
    {
        var empty = await LeadAsync();
        Drive(true, -100);
        var measured = await LeadAsync();
        Assert.Matches(@"\d+ %", measured);
        Assert.Contains(" min", measured, StringComparison.Ordinal);
        Assert.NotEqual(empty, measured);
        // What was weighed stands in the list at once.
        Assert.Contains(measured.Split('→')[1].Trim()[..6], WebUtility.HtmlDecode(await _page.ReadAsync("/")), StringComparison.Ordinal);
        var line = await HoseAsync();
        await StepAsync(line, "fitted");
        Assert.Contains("Prove the repair", await LeadAsync(), StringComparison.Ordinal);
    }

    [Fact]
    public async Task What_speaks_for_a_suspect_leads_to_its_place_on_the_bench()
    {
        var bench = Drive(true, -100);
        var job = await _page.ReadAsync($"/jobs/{_job}?handler=Weighed");
        var place = Regex.Match(job, $@"<a href=""(/bench/{bench}\?from=[^""]+)"">Boost");
        Assert.True(place.Success, job);
        Assert.Contains("mark=", place.Groups[1].Value, StringComparison.Ordinal);
        Assert.Equal(HttpStatusCode.OK, await _page.StatusAsync(WebUtility.HtmlDecode(place.Groups[1].Value)));
    }

    [Fact]
    public async Task What_it_was_stands_in_the_trail_at_the_time_it_was_said_and_may_be_a_wheel()
    {
        var before = DateTime.UtcNow;
        await _page.PostAsync($"/jobs/{_job}/quote", $"/jobs/{_job}/quote?handler=Found", ("cures", "wheel-sensor/front-left"));
        using var db = _server.Open();
        var job = db.Jobs.Single(j => j.Id == _job);
        Assert.Equal(("wheel-sensor", null, "front-left"), (job.FoundFault, job.FoundCylinder, job.FoundWheel));
        Assert.InRange(job.FoundAt!.Value, before, DateTime.UtcNow);
        Assert.Contains("It was: wheel sensor, front left.", await TrailAsync(), StringComparison.Ordinal);
        await _page.PostAsync($"/jobs/{_job}/quote", $"/jobs/{_job}/quote?handler=Found", ("cures", ""));
        Assert.DoesNotContain("It was:", await TrailAsync(), StringComparison.Ordinal);
    }

    [Fact]
    public async Task What_it_turned_out_to_be_is_kept_and_told_first()
    {
        Drive(true, -100);
        var wrong = await _page.PostAsync($"/jobs/{_job}/quote", $"/jobs/{_job}/quote?handler=Found", ("cures", "spark-plug/7"));
        Assert.Equal(HttpStatusCode.BadRequest, wrong.StatusCode);
        await _page.PostAsync($"/jobs/{_job}/quote", $"/jobs/{_job}/quote?handler=Found", ("cures", "boost-actuator-stuck"));
        Assert.Contains("The control of the turbocharger is stuck.", await ReportAsync(), StringComparison.Ordinal);
        Assert.Contains("It was: boost actuator stuck.", await TrailAsync(), StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_check_is_started_with_everything_set_for_it()
    {
        var rig = WebUtility.HtmlDecode(await _page.ReadAsync($"/rig?job={_job}&check=in-cylinder-pressure&cylinder=3"));
        Assert.Contains("In-cylinder pressure, cylinder 3", rig, StringComparison.Ordinal);
        Assert.Contains("Plug out, transducer in", rig, StringComparison.Ordinal);
        Assert.Matches("<option value=\"3\" selected", rig);
        Assert.DoesNotContain(
            "aria-label=\"The check\"",
            await _page.ReadAsync($"/rig?job={_job}&check=nonsense"),
            StringComparison.Ordinal
        );
    }

    private int Drive(bool split, double minutesAgo, double celsius = 88)
    {
        using var db = _server.Open();
        var drive = DriveLog.Record(new DrivePlan(EngineCatalogue.Camoscio) { SplitHose = split, Seed = 16 });
        var id = OneJob.Keep(db, _job, split ? "torn" : "renewed", drive, new Conditions("load", celsius, null, null));
        db.Captures.Single(c => c.Id == id).TakenAt = DateTime.UtcNow.AddMinutes(minutesAgo);
        db.SaveChanges();
        return id;
    }

    private void Fitted(int line, double minutesAgo)
    {
        using var db = _server.Open();
        db.Work.Single(w => w.Id == line).FittedAt = DateTime.UtcNow.AddMinutes(minutesAgo);
        db.SaveChanges();
    }

    private JobProof ProofNow()
    {
        using var db = _server.Open();
        var job = WholeJob.OfAsync(db, _job).GetAwaiter().GetResult()!;
        return JobProof.Of(job, JobFacts.ReadingsOf(job));
    }

    private async Task<int> HoseAsync()
    {
        var answer = await LineAsync(
            new()
            {
                ["Form.What"] = "Boost hose",
                ["Form.Count"] = "2",
                ["Form.Price"] = "84,50",
                ["Form.Cures"] = "boost-leak",
                ["Form.Days"] = "1",
            }
        );
        Assert.Equal(HttpStatusCode.Found, answer.StatusCode);
        using var db = _server.Open();
        return db.Work.Single().Id;
    }

    private Task<HttpResponseMessage> LineAsync(Dictionary<string, string> fields) =>
        _page.PostAsync($"/jobs/{_job}/quote", $"/jobs/{_job}/quote", [.. fields.Select(f => (f.Key, f.Value))]);

    private Task<HttpResponseMessage> StepAsync(int line, string to) =>
        _page.PostAsync($"/jobs/{_job}/quote", $"/jobs/{_job}/quote?handler=Step", ("line", $"{line}"), ("to", to));

    private Task<HttpResponseMessage> PostAsync(string handler, params (string, string)[] fields) =>
        _page.PostAsync($"/jobs/{_job}", $"/jobs/{_job}?handler={handler}", fields);

    private async Task<string> TrailAsync() => WebUtility.HtmlDecode(await _page.ReadAsync($"/jobs/{_job}?handler=Trail"));

    private async Task<string> ReportAsync() => WebUtility.HtmlDecode(await _page.ReadAsync($"/jobs/{_job}/report"));

    private async Task<string> LeadAsync() => WebUtility.HtmlDecode(await _page.ReadAsync($"/?handler=Lead&job={_job}"));
}
