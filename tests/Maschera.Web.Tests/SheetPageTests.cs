using System.Net;
using System.Net.Http.Headers;
using System.Text;
using System.Text.Json;
using Maschera.App;

namespace Maschera.Web.Tests;

/// <summary>Circuit sheets over HTTP: started, filled, judged, exported, refused.</summary>
public sealed class SheetPageTests : IAsyncLifetime
{
    private ServerOnFolder _server = null!;
    private PageClient _page = null!;
    private int _job;

    public async ValueTask InitializeAsync()
    {
        _server = await ServerOnFolder.StartAsync((db, _) => _job = OneJob.Take(db).Id);
        _page = new PageClient(_server);
    }

    public async ValueTask DisposeAsync()
    {
        _page.Dispose();
        await _server.DisposeAsync();
    }

    [Fact]
    public async Task A_value_judges_its_wire_at_once_and_the_rest_is_proposed()
    {
        var sheet = await StartAsync(("Components[0].Name", "Tank pump"), ("Components[0].Kind", "Pump, lamp or motor"));
        Assert.Contains("Nothing is measured yet", await _page.ReadAsync(sheet), StringComparison.Ordinal);
        await PostAsync(sheet, "Values", ("v0", "12,4"), ("v1", "0.9"), ("v2", ""), ("state", "key on"));
        var html = await ReadAsync(sheet);
        Assert.Contains("The ground has too much resistance", html, StringComparison.Ordinal);
        Assert.Contains("high resistance, 0.90 V", html, StringComparison.Ordinal);
        Assert.Contains("supply against battery −", html, StringComparison.Ordinal);
        var job = await ReadAsync($"/jobs/{_job}");
        Assert.Contains("a wire at fault", job, StringComparison.Ordinal);
        Assert.Contains($"href=\"{sheet}\"", job, StringComparison.Ordinal);
        Assert.Contains("high resistance, 0.90 V", await ReadAsync($"/jobs/{_job}/report"), StringComparison.Ordinal);
        await PostAsync(sheet, "Values", ("v0", ""), ("v1", ""), ("v2", ""), ("state", "key on"));
        Assert.Contains("Nothing is measured yet", await _page.ReadAsync(sheet), StringComparison.Ordinal);
    }

    [Fact]
    public async Task Values_of_two_people_both_stand_and_where_both_wrote_one_that_is_said()
    {
        var sheet = await StartAsync(("Components[0].Name", "Tank pump"), ("Components[0].Kind", "Pump, lamp or motor"));
        await PostAsync(sheet, "Values", ("v0", "12.4"), ("w0", ""), ("v1", ""), ("w1", ""), ("state", "key on"));
        // Opened before the first value stood there: the empty field takes nothing away.
        await PostAsync(sheet, "Values", ("v0", ""), ("w0", ""), ("v1", "0.05"), ("w1", ""), ("state", "key on"));
        var html = await ReadAsync(sheet);
        Assert.Contains("value=\"12.4\"", html, StringComparison.Ordinal);
        Assert.Contains("value=\"0.05\"", html, StringComparison.Ordinal);
        var answer = await _page.PostAsync(sheet, $"{sheet}?handler=Values", ("v0", "11.1"), ("w0", ""), ("state", "key on"));
        var told = WebUtility.HtmlDecode(await answer.Content.ReadAsStringAsync(TestContext.Current.CancellationToken));
        Assert.Contains("was measured meanwhile; '11.1' was not put in its place", told, StringComparison.Ordinal);
        Assert.Contains("value=\"12.4\"", await ReadAsync(sheet), StringComparison.Ordinal);
    }

    [Fact]
    public async Task Values_that_come_at_the_same_moment_all_stand()
    {
        var sheet = await StartAsync(("Components[0].Name", "Tank pump"), ("Components[0].Kind", "Pump, lamp or motor"));
        await Task.WhenAll(
            Enumerable
                .Range(0, 8)
                .Select(i =>
                    _page.PostAsync(
                        sheet,
                        $"{sheet}?handler=Add",
                        ("from", $"pin {i}"),
                        ("to", "ground"),
                        ("value", $"{i}.5"),
                        ("quantity", "voltage")
                    )
                )
        );
        var html = await ReadAsync(sheet);
        Assert.All(Enumerable.Range(0, 8), i => Assert.Contains($"pin {i}", html, StringComparison.Ordinal));
    }

    [Fact]
    public async Task A_word_for_a_number_is_refused_with_its_place_and_the_others_are_kept()
    {
        var sheet = await StartAsync(("Components[0].Name", "Tank pump"), ("Components[0].Kind", "Pump, lamp or motor"));
        var answer = await _page.PostAsync(sheet, $"{sheet}?handler=Values", ("v0", "12.4"), ("v1", "good"), ("state", "key on"));
        var html = WebUtility.HtmlDecode(await answer.Content.ReadAsStringAsync());
        Assert.Contains("'good' for ground against battery − is no number", html, StringComparison.Ordinal);
        Assert.Contains("value=\"12.4\"", html, StringComparison.Ordinal);
        Assert.DoesNotContain("ground has", html, StringComparison.Ordinal);
    }

    [Fact]
    public async Task The_table_goes_out_and_comes_in_again()
    {
        var sheet = await StartAsync(("Components[0].Name", "Boost sensor"), ("Components[0].Kind", "Sensor with a 5 V supply"));
        await PostAsync(sheet, "Probe", ("state", "key on"), ("fault", "Boost sensor|supply 5v|Broken"), ("all", "true"));
        Assert.Contains("The supply 5 V is open", await ReadAsync(sheet), StringComparison.Ordinal);
        await PostAsync(
            sheet,
            "Add",
            ("from", "Chassis"),
            ("to", "battery −"),
            ("value", "0,01"),
            ("quantity", "voltage"),
            ("condition", "loaded")
        );
        var table = await _page.ReadAsync($"{sheet}?handler=Table");
        Assert.Contains("chassis,battery -,voltage,0.01,V,loaded", table, StringComparison.Ordinal);
        var second = await UploadAsync("boost.csv", table);
        Assert.Contains("The supply 5 V is open", await ReadAsync(second), StringComparison.Ordinal);
        Assert.Equal(table, await _page.ReadAsync($"{second}?handler=Table"));
    }

    [Fact]
    public async Task Labels_stand_on_the_sketch_and_values_can_be_taken_back()
    {
        var sheet = await StartAsync(("Components[0].Name", "Valve"), ("Components[0].Pins", "supply, signal"));
        await PostAsync(sheet, "Labels", ("label-0-1", "pin 2 <yellow>"));
        Assert.Contains("signal · pin 2 <yellow>", await ReadAsync(sheet), StringComparison.Ordinal);
        Assert.DoesNotContain("<yellow>", await _page.ReadAsync(sheet), StringComparison.Ordinal);
        await PostAsync(
            sheet,
            "Add",
            ("from", "signal"),
            ("to", "chassis"),
            ("value", "OL"),
            ("quantity", "resistance"),
            ("condition", "key off")
        );
        Assert.Contains("Beside the plan", await _page.ReadAsync(sheet), StringComparison.Ordinal);
        await PostAsync(sheet, "Remove", ("at", "0"));
        Assert.DoesNotContain("Beside the plan", await _page.ReadAsync(sheet), StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("", "", "Name the component first")]
    [InlineData("Valve", "supply, gnd", "'gnd' at Valve is no terminal")]
    [InlineData("Valve", "supply, supply", "each named once")]
    public async Task A_sheet_that_can_not_be_is_refused(string name, string pins, string why)
    {
        var answer = await _page.PostAsync(
            $"/jobs/{_job}/sheet",
            $"/jobs/{_job}/sheet",
            ("Components[0].Name", name),
            ("Components[0].Pins", pins)
        );
        Assert.Equal(HttpStatusCode.OK, answer.StatusCode);
        Assert.Contains(why, WebUtility.HtmlDecode(await answer.Content.ReadAsStringAsync()), StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_table_with_a_word_is_refused_with_its_line_and_strange_posts_change_nothing()
    {
        var refused = await UploadAsync("bad.csv", "from,to,kind,value,unit,condition\nground,battery -,voltage,good,V,loaded\n");
        Assert.Contains("line 2", refused, StringComparison.Ordinal);
        var sheet = await StartAsync(("Components[0].Name", "Valve"), ("Components[0].Pins", "supply, signal"));
        (string, string)[][] strange =
        [
            [("at", "-1")],
            [("state", "flying"), ("v0", "1")],
            [("fault", "Valve|wings|Broken"), ("state", "key on")],
        ];
        foreach (var (handler, fields) in new[] { "Remove", "Values", "Probe" }.Zip(strange))
            Assert.Equal(HttpStatusCode.NotFound, (await _page.PostAsync(sheet, $"{sheet}?handler={handler}", fields)).StatusCode);
        Assert.Contains("Nothing is measured yet", await _page.ReadAsync(sheet), StringComparison.Ordinal);
        Assert.Equal(HttpStatusCode.NotFound, await _page.StatusAsync("/sheets/99999"));
        Assert.Equal(HttpStatusCode.Found, await _page.StatusAsync(sheet.Replace("sheets", "bench", StringComparison.Ordinal)));
    }

    [Fact]
    public async Task Every_cell_of_a_sheet_survives_the_store()
    {
        var sheet = await StartAsync(("Components[0].Name", "Valve"), ("Components[0].Pins", "supply, signal"));
        await PostAsync(
            sheet,
            "Add",
            ("from", "signal"),
            ("to", "supply"),
            ("value", "OL"),
            ("quantity", "resistance"),
            ("condition", "unplugged")
        );
        using var db = _server.Open();
        var row = Assert.Single(db.Captures.Single(c => c.SheetJson != null).Sheet!.Rows);
        Assert.True(double.IsPositiveInfinity(row.Value));
        Assert.True(row.IsUnplugged);
        using var json = JsonDocument.Parse(db.Captures.Single().SheetJson!);
        Assert.False(json.RootElement.GetProperty("rows")[0].TryGetProperty("isUnplugged", out _));
        Assert.Empty(SheetService.Lines(new([])));
    }

    private async Task<string> StartAsync(params (string, string)[] fields)
    {
        var answer = await _page.PostAsync($"/jobs/{_job}/sheet", $"/jobs/{_job}/sheet", fields);
        Assert.Equal(HttpStatusCode.Found, answer.StatusCode);
        return answer.Headers.Location!.ToString();
    }

    private async Task PostAsync(string sheet, string handler, params (string, string)[] fields)
    {
        var answer = await _page.PostAsync(sheet, $"{sheet}?handler={handler}", fields);
        Assert.Equal(HttpStatusCode.Found, answer.StatusCode);
    }

    private async Task<string> ReadAsync(string path) => WebUtility.HtmlDecode(await _page.ReadAsync(path));

    /// <summary>Where the answer leads, or what it says where it refuses.</summary>
    private async Task<string> UploadAsync(string name, string table)
    {
        var token = PageToken(await _page.ReadAsync($"/jobs/{_job}/sheet"));
        using var file = new ByteArrayContent(Encoding.UTF8.GetBytes(table));
        file.Headers.ContentType = new MediaTypeHeaderValue("text/csv");
        using var form = new MultipartFormDataContent
        {
            { new StringContent(token), "__RequestVerificationToken" },
            { file, "file", name },
        };
        var answer = await _page.SendAsync($"/jobs/{_job}/sheet?handler=File", form);
        return answer.Headers.Location?.ToString() ?? WebUtility.HtmlDecode(await answer.Content.ReadAsStringAsync());
    }

    private static string PageToken(string html)
    {
        const string mark = "name=\"__RequestVerificationToken\" type=\"hidden\" value=\"";
        var from = html.IndexOf(mark, StringComparison.Ordinal) + mark.Length;
        return html[from..html.IndexOf('"', from)];
    }
}
