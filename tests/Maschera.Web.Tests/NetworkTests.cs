using System.Net;
using System.Text.RegularExpressions;
using Maschera.Rig;
using Maschera.Store;

namespace Maschera.Web.Tests;

/// <summary>On a network: who gets in, who may do what, and what a customer's link opens.</summary>
public sealed class NetworkTests(NetworkServer server) : IClassFixture<NetworkServer>
{
    [Fact]
    public void The_console_says_where_it_is_how_to_know_it_and_the_word()
    {
        Assert.Equal($"Maschera is ready at https://garage.test:{server.Port}", server.Said[0]);
        Assert.Matches("fingerprint: ([0-9A-F]{2}:){31}[0-9A-F]{2}$", server.Said[1]);
        Assert.Matches(@"/people/first with the word \w{4}-\w{4}-\w{4}$", server.Said[2]);
    }

    [Fact]
    public async Task Nobody_gets_in_without_a_name()
    {
        using var stranger = server.Browser();
        foreach (var path in (string[])["/", "/jobs/1", "/engines", "/strengths", "/people", "/people/own"])
        {
            var answer = await stranger.GetAsync(path);
            Assert.Equal((path, HttpStatusCode.Found), (path, answer.StatusCode));
            Assert.StartsWith("/people/enter?to=", answer.Headers.Location!.ToString(), StringComparison.Ordinal);
        }

        using var nothing = new StringContent("{}");
        Assert.Equal(HttpStatusCode.Unauthorized, (await stranger.PostAsync("/bench/1/calipers", nothing)).StatusCode);
        Assert.Equal(HttpStatusCode.Unauthorized, (await stranger.PostAsync("/live/hub/negotiate", nothing)).StatusCode);
        Assert.Equal(HttpStatusCode.OK, (await stranger.GetAsync("/healthz")).StatusCode);
        Assert.Equal(HttpStatusCode.OK, (await stranger.GetAsync("/people/enter")).StatusCode);
    }

    [Fact]
    public async Task The_word_is_of_no_use_once_there_is_somebody()
    {
        using var second = server.Browser();
        Assert.Equal("/", (await second.GetAsync("/people/first")).Headers.Location?.ToString());
        var tried = await NetworkServer.PostAsync(
            second,
            "/people/enter",
            "/people/first",
            ("word", server.Word),
            ("Name", "Mallory"),
            ("password", NetworkServer.Password)
        );
        Assert.Equal(HttpStatusCode.Found, tried.StatusCode);
        Assert.DoesNotContain(
            tried.Headers,
            h => h.Key == "Set-Cookie" && h.Value.Any(v => v.StartsWith("maschera=", StringComparison.Ordinal))
        );
    }

    [Fact]
    public async Task A_session_is_kept_from_scripts_other_pages_and_plain_connections()
    {
        using var browser = server.Browser();
        var entered = await NetworkServer.PostAsync(
            browser,
            "/people/enter",
            "/people/enter",
            ("Name", "Ada"),
            ("password", NetworkServer.Password),
            ("To", "//evil.example/")
        );
        Assert.Equal("/", entered.Headers.Location!.ToString());
        var cookie = entered.Headers.GetValues("Set-Cookie").Single(c => c.StartsWith("maschera=", StringComparison.Ordinal));
        Assert.Matches("(?i)secure.*samesite=strict.*httponly", cookie);
        using var plain = new HttpClient { BaseAddress = new Uri($"http://127.0.0.1:{server.Port}") };
        await Assert.ThrowsAnyAsync<HttpRequestException>(() => plain.GetAsync("/"));
    }

    [Theory]
    [InlineData("garage.test", HttpStatusCode.Found)]
    [InlineData("127.0.0.1", HttpStatusCode.Found)]
    [InlineData("evil.example", HttpStatusCode.BadRequest)]
    public async Task Only_the_names_of_the_server_are_answered(string host, HttpStatusCode expected)
    {
        using var browser = server.Browser();
        browser.DefaultRequestHeaders.Host = host;
        Assert.Equal(expected, (await browser.GetAsync("/")).StatusCode);
    }

    [Fact]
    public async Task Who_looks_changes_nothing_who_works_adds_nobody_and_who_runs_it_does()
    {
        await server.AddAsync("Looker", "look");
        await server.AddAsync("Worker", "work");
        using var looks = await server.EnteredAsync("Looker");
        Assert.Equal(HttpStatusCode.OK, (await looks.GetAsync("/")).StatusCode);
        Assert.Equal(HttpStatusCode.Forbidden, (await TakeInAsync(looks, "Not for me")).StatusCode);
        Assert.Equal(HttpStatusCode.Forbidden, (await looks.GetAsync("/people")).StatusCode);
        using var works = await server.EnteredAsync("Worker");
        Assert.Equal(HttpStatusCode.Found, (await TakeInAsync(works, "Worker's van")).StatusCode);
        Assert.Equal(HttpStatusCode.Forbidden, (await works.GetAsync("/people")).StatusCode);
        using var nothing = new StringContent("");
        Assert.Equal(HttpStatusCode.Forbidden, (await works.PostAsync("/strengths", nothing)).StatusCode);
        using var db = server.Database();
        Assert.DoesNotContain(db.Jobs, j => j.Vehicle == "Not for me");
        var job = db.Jobs.Single(j => j.Vehicle == "Worker's van");
        Assert.Equal("Worker", job.By);
        Assert.Contains("Worker", await works.GetStringAsync($"/jobs/{job.Id}?handler=Trail"), StringComparison.Ordinal);
    }

    [Fact]
    public async Task Wrong_passwords_lock_a_person_out_and_the_right_one_then_does_not_help()
    {
        await server.AddAsync("Locked", "work");
        using var browser = server.Browser();
        async Task<string> TryAsync(string password) =>
            await (
                await NetworkServer.PostAsync(browser, "/people/enter", "/people/enter", ("Name", "Locked"), ("password", password))
            ).Content.ReadAsStringAsync(TestContext.Current.CancellationToken);
        for (var i = 0; i < 5; i++)
            Assert.Contains(i < 4 ? "do not belong together" : "Too many", await TryAsync("not this one"), StringComparison.Ordinal);
        Assert.Contains("Too many", await TryAsync(NetworkServer.Password), StringComparison.Ordinal);
    }

    [Fact]
    public async Task Somebody_has_to_run_the_workshop_and_a_short_password_is_refused()
    {
        using var ada = await server.EnteredAsync("Ada");
        var id = IdOf(await ada.GetStringAsync("/people"), "Ada");
        foreach (var (handler, fields) in new[] { ("Remove", new[] { ("id", id) }), ("Role", [("id", id), ("role", "look")]) })
        {
            var answer = await NetworkServer.PostAsync(ada, "/people", $"/people?handler={handler}", fields);
            Assert.Contains("has to run the workshop", await TextAsync(answer), StringComparison.Ordinal);
        }

        var shortOne = await NetworkServer.PostAsync(ada, "/people", "/people", ("Name", "S"), ("Role", "work"), ("password", "short"));
        Assert.Contains("10 letters or more", await TextAsync(shortOne), StringComparison.Ordinal);
        Assert.Equal(HttpStatusCode.OK, (await ada.GetAsync("/people")).StatusCode);
    }

    [Fact]
    public async Task Who_is_taken_out_is_out_within_seconds()
    {
        await server.AddAsync("Leaving", "work");
        using var leaving = await server.EnteredAsync("Leaving");
        using var ada = await server.EnteredAsync("Ada");
        Assert.Equal(HttpStatusCode.OK, (await leaving.GetAsync("/")).StatusCode);
        var id = IdOf(await ada.GetStringAsync("/people"), "Leaving");
        await NetworkServer.PostAsync(ada, "/people", "/people?handler=Remove", ("id", id));
        var last = HttpStatusCode.OK;
        for (var i = 0; i < 40 && last == HttpStatusCode.OK; i++)
        {
            await Task.Delay(500, TestContext.Current.CancellationToken);
            last = (await leaving.GetAsync("/")).StatusCode;
        }

        Assert.Equal(HttpStatusCode.Found, last);
    }

    [Fact]
    public async Task A_customers_link_opens_that_report_and_nothing_else_until_it_ends()
    {
        int job;
        using (var db = server.Database())
        {
            var taken = OneJob.Take(db, EngineCatalogue.Camoscio);
            (taken.Vehicle, taken.Complaint) = ("Customer's hay cart", "Lacks power uphill");
            db.SaveChanges();
            job = taken.Id;
        }

        using var ada = await server.EnteredAsync("Ada");
        var (first, second) = (await LinkAsync(ada, job, 30), await LinkAsync(ada, job, 30));
        Assert.Matches("/r/[0-9a-f]{32}$", first);
        Assert.NotEqual(first, second);
        using var customer = server.Browser();
        var report = await customer.GetStringAsync(first);
        Assert.Contains("Customer&#x27;s hay cart", report, StringComparison.Ordinal);
        Assert.DoesNotContain("href=\"/", report, StringComparison.Ordinal);
        Assert.Equal(HttpStatusCode.Found, (await customer.GetAsync($"/jobs/{job}/report")).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await customer.GetAsync("/r/" + new string('0', 32))).StatusCode);
        using (var db = server.Database())
        {
            Assert.DoesNotContain(db.ReportLinks, l => first.Contains(l.Sum, StringComparison.OrdinalIgnoreCase));
            Assert.All(db.ReportLinks, l => Assert.Equal("Ada", l.By));
            var links = db.ReportLinks.OrderBy(l => l.Id).ToList();
            var taken = await NetworkServer.PostAsync(ada, $"/jobs/{job}/report", $"/jobs/{job}/report?handler=End&link={links[0].Id}");
            Assert.Equal(HttpStatusCode.Found, taken.StatusCode);
            Assert.Equal(HttpStatusCode.NotFound, (await customer.GetAsync(first)).StatusCode);
            Assert.Equal(HttpStatusCode.OK, (await customer.GetAsync(second)).StatusCode);
            links[1].EndsAt = DateTime.UtcNow.AddMinutes(-1);
            db.ReportLinks.Update(links[1]).Property(l => l.EndsAt).IsModified = true;
            db.SaveChanges();
        }

        Assert.Equal(HttpStatusCode.NotFound, (await customer.GetAsync(second)).StatusCode);
        List<HttpStatusCode> guessed = [];
        for (var i = 0; i < 80; i++)
            guessed.Add((await customer.GetAsync($"/r/{i:x32}")).StatusCode);
        Assert.Equal(HttpStatusCode.TooManyRequests, guessed[^1]);
    }

    private static async Task<string> LinkAsync(HttpClient browser, int job, int days)
    {
        await NetworkServer.PostAsync(browser, $"/jobs/{job}/report", $"/jobs/{job}/report?handler=Link", ("days", $"{days}"));
        var page = await browser.GetStringAsync($"/jobs/{job}/report");
        return Regex.Match(page, @"https://[^<""]+(/r/[0-9a-f]{32})").Groups[1].Value;
    }

    private static Task<HttpResponseMessage> TakeInAsync(HttpClient browser, string vehicle)
    {
        var fields = new[] { ("Form.Vehicle", vehicle), ("Form.Complaint", "Shakes"), ("Form.EngineId", "1") };
        return NetworkServer.PostAsync(browser, "/people/own", "/jobs/new", fields);
    }

    private static string IdOf(string page, string name) =>
        Regex.Match(page, $@">{name}</td>.*?name=""id"" value=""([^""]+)""", RegexOptions.Singleline).Groups[1].Value;

    private static async Task<string> TextAsync(HttpResponseMessage answer) =>
        WebUtility.HtmlDecode(await answer.Content.ReadAsStringAsync(TestContext.Current.CancellationToken));
}
