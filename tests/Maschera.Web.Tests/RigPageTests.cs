using System.Net;
using Maschera.Rig;

namespace Maschera.Web.Tests;

/// <summary>The drawn engine: what is given to its parts is recorded, and read out of the recording again.</summary>
public sealed class RigPageTests : IAsyncLifetime
{
    private ServerOnFolder _server = null!;
    private PageClient _page = null!;
    private int _job;

    /// <summary>Which recording, what was chosen, and the reading with what its sentence must say.</summary>
    public static TheoryData<string, string, string, string> Given =>
        new()
        {
            { "", "Form.Troubles[3]=burnt", "relative-compression", "cylinder 3" },
            { "", "", "relative-compression", "even" },
            { "Run", "Form.Troubles[2]=misfires", "misfire", "Cylinder 2 misfires" },
            { "Run", "", "misfire", "No misfire" },
            { "Gas", "Form.Measured=1", "cylinder-pressure", "normal: Cylinder 1 shows no fault that can be told" },
            { "Gas", "Form.Measured=1&Form.Troubles[1]=exhaust-shut", "cylinder-pressure", "exhaust valve" },
            { "Gas", "Form.Measured=0&Form.Troubles[4]=exhaust-shut", "pulses", "ylinder 4" },
        };

    public async ValueTask InitializeAsync()
    {
        _server = await ServerOnFolder.StartAsync((db, _) => _job = OneJob.Take(db, EngineCatalogue.Orsa).Id);
        _page = new PageClient(_server);
    }

    public async ValueTask DisposeAsync()
    {
        _page.Dispose();
        await _server.DisposeAsync();
    }

    [Theory]
    [MemberData(nameof(Given))]
    public async Task What_was_given_is_read_again(string recording, string chosen, string kind, string said)
    {
        var answer = await PostAsync(recording, chosen);
        Assert.Equal(HttpStatusCode.Found, answer.StatusCode);
        using var db = _server.Open();
        var read = db.Readings.AsEnumerable().Where(r => r.Kind == kind).Select(r => $"{r.Verdict}: {r.Result!.Sentence}").ToList();
        Assert.True(read.Exists(r => r.Contains(said, StringComparison.OrdinalIgnoreCase)), $"{said}: {string.Join(" / ", read)}");
    }

    [Fact]
    public async Task The_drawing_has_every_cylinder_at_its_seat_and_keeps_what_was_chosen_over_a_refusal()
    {
        var answer = await PostAsync("", "Form.Seconds=900&Form.Troubles[2]=silent&Form.Battery=weak");
        Assert.Equal(HttpStatusCode.OK, answer.StatusCode);
        var html = WebUtility.HtmlDecode(await answer.Content.ReadAsStringAsync());
        for (var cylinder = 1; cylinder <= 4; cylinder++)
            Assert.Contains($"data-part=\"cylinder-{cylinder}\"", html, StringComparison.Ordinal);
        Assert.Contains("From 2 to 30 seconds.", html, StringComparison.Ordinal);
        Assert.Contains("name=\"Form.Troubles[2]\" value=\"silent\" checked", html, StringComparison.Ordinal);
        Assert.Contains("value=\"weak\" checked", html, StringComparison.Ordinal);
        Assert.Contains("data-given=\"cylinder-2\">never fires<", html, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("Form.Troubles[9]=burnt")]
    [InlineData("Form.Troubles[2]=nonsense")]
    [InlineData("Form.Battery=nonsense&Form.CrankSensor=nonsense")]
    public async Task What_there_is_not_is_left_out(string chosen)
    {
        var answer = await PostAsync("", chosen);
        Assert.Equal(HttpStatusCode.Found, answer.StatusCode);
        using var db = _server.Open();
        Assert.Equal("stand-in, sound", db.Captures.Single().Conditions.Remark);
    }

    [Fact]
    public async Task A_transducer_in_a_cylinder_the_engine_has_not_is_refused()
    {
        var answer = await PostAsync("Gas", "Form.Measured=6");
        Assert.Contains("has 4 cylinders", await answer.Content.ReadAsStringAsync(), StringComparison.Ordinal);
    }

    private Task<HttpResponseMessage> PostAsync(string handler, string chosen) =>
        _page.PostAsync(
            "/rig",
            handler.Length > 0 ? $"/rig?handler={handler}" : "/rig",
            [
                ("Form.Job", $"{_job}"),
                ("Form.Sync", "true"),
                .. chosen.Split('&', StringSplitOptions.RemoveEmptyEntries).Select(c => (c.Split('=')[0], c.Split('=')[1])),
            ]
        );
}
