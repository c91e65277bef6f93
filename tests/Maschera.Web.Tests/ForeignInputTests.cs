using System.Net;
using System.Text;
using System.Text.RegularExpressions;
using Microsoft.Extensions.DependencyInjection;

namespace Maschera.Web.Tests;

/// <summary>What comes from outside can neither act in a person's name nor tie the server up.</summary>
public sealed partial class ForeignInputTests : IAsyncLifetime
{
    private ServerOnFolder _server = null!;
    private int _job,
        _capture,
        _constant;

    public async ValueTask InitializeAsync() =>
        _server = await ServerOnFolder.StartAsync(
            (db, _) =>
            {
                var job = OneJob.Take(db);
                _job = job.Id;
                _capture = OneJob.Keep(db, job, "plain", OneJob.Made("A", "V", 1e-3, 1_000, i => i % 10));
                _constant = OneJob.Keep(db, job, "constant", OneJob.Made("A", "V", 1e-3, 1_000, _ => 1e15));
            }
        );

    public ValueTask DisposeAsync() => _server.DisposeAsync();

    [Fact]
    public async Task A_refused_upload_answers_with_text_that_a_page_can_not_take_for_elements()
    {
        const string name = "<button hx-post=. hx-trigger=load>x.csv";
        var answer = await PostAsync(name, "no capture at all\n");
        Assert.Contains("&lt;button", answer, StringComparison.Ordinal);
        Assert.DoesNotContain("<button", answer, StringComparison.Ordinal);
        Assert.Contains("selfRequestsOnly", await _server.Client.GetStringAsync("/"), StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("from=1e17&to=100000000000000016")]
    [InlineData("from=-1e300&to=1e300")]
    [InlineData("from=0&to=1e-300")]
    [InlineData("from=1&to=1.0000000000000002")]
    public async Task A_picture_of_any_window_is_small_and_soon_there(string window)
    {
        foreach (var capture in (int[])[_capture, _constant])
        {
            var svg = await Soon(_server.Client.GetStringAsync($"/bench/{capture}/picture.svg?{window}"));
            Assert.InRange(svg.Length, 100, 1_000_000);
        }
    }

    [Fact]
    public async Task A_constant_channel_of_any_size_is_drawn_on_its_bench()
    {
        var svg = await Soon(_server.Client.GetStringAsync($"/bench/{_constant}/picture.svg?from=0&to=1"));
        Assert.Contains("seconds", svg, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("evil.example", HttpStatusCode.BadRequest)]
    [InlineData("127.0.0.1.evil.example", HttpStatusCode.BadRequest)]
    [InlineData("localhost", HttpStatusCode.OK)]
    [InlineData("127.0.0.1", HttpStatusCode.OK)]
    public async Task Only_this_machines_names_are_answered(string host, HttpStatusCode expected)
    {
        using var request = new HttpRequestMessage(HttpMethod.Get, "/");
        request.Headers.Host = host;
        Assert.Equal(expected, (await _server.Client.SendAsync(request)).StatusCode);
    }

    private static Task<T> Soon<T>(Task<T> answer) => answer.WaitAsync(TimeSpan.FromSeconds(30));

    private async Task<string> PostAsync(string fileName, string text)
    {
        var page = await _server.Client.GetStringAsync($"/jobs/{_job}");
        using var form = new MultipartFormDataContent
        {
            { new StringContent(Token().Match(page).Groups[1].Value), "__RequestVerificationToken" },
            { new ByteArrayContent(Encoding.UTF8.GetBytes(text)), "file", fileName },
        };
        using var request = new HttpRequestMessage(HttpMethod.Post, $"/jobs/{_job}/import") { Content = form };
        request.Headers.Add("HX-Request", "true");
        return await (await _server.Client.SendAsync(request)).Content.ReadAsStringAsync();
    }

    [GeneratedRegex("name=\"__RequestVerificationToken\" type=\"hidden\" value=\"([^\"]+)\"")]
    private static partial Regex Token();
}
