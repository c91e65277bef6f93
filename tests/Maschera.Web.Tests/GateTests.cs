using System.Net;
using System.Net.Http.Json;
using System.Net.Sockets;
using System.Net.WebSockets;
using System.Text;

namespace Maschera.Web.Tests;

/// <summary>Headers of every answer, and writes that another page asks for.</summary>
public sealed class GateTests : IAsyncLifetime
{
    private ServerOnFolder _server = null!;
    private int _capture,
        _channel;

    public async ValueTask InitializeAsync() =>
        _server = await ServerOnFolder.StartAsync(
            (db, _) =>
            {
                _capture = OneJob.Keep(db, OneJob.Take(db), "c", OneJob.Made("Current", "A", 1e-3, 3_000, i => i % 97));
                _channel = db.Channels.Single(c => c.CaptureId == _capture && !c.IsLaneCopy).Id;
            }
        );

    public ValueTask DisposeAsync() => _server.DisposeAsync();

    [Theory]
    [InlineData("https://elsewhere.example", null, HttpStatusCode.Forbidden)]
    [InlineData("null", null, HttpStatusCode.Forbidden)]
    [InlineData(null, "cross-site", HttpStatusCode.Forbidden)]
    [InlineData(null, "same-origin", HttpStatusCode.OK)]
    [InlineData(null, null, HttpStatusCode.OK)]
    [InlineData("own", null, HttpStatusCode.OK)]
    public async Task Only_our_own_pages_write(string? origin, string? site, HttpStatusCode expected)
    {
        using var request = new HttpRequestMessage(HttpMethod.Post, $"/bench/{_capture}/calipers")
        {
            Content = JsonContent.Create(
                new
                {
                    channel = _channel,
                    from = 0.1,
                    to = 0.2,
                }
            ),
        };
        if (origin is not null)
            request.Headers.Add("Origin", origin == "own" ? _server.Client.BaseAddress!.GetLeftPart(UriPartial.Authority) : origin);
        if (site is not null)
            request.Headers.Add("Sec-Fetch-Site", site);
        var answer = await _server.Client.SendAsync(request);
        Assert.Equal(expected, answer.StatusCode);
        using var db = _server.Open();
        Assert.Equal(expected == HttpStatusCode.OK ? 1 : 0, db.Calipers.Count());
    }

    [Theory]
    [InlineData(null)]
    [InlineData("of another")]
    public async Task What_the_bench_changes_needs_the_page_s_token(string? token)
    {
        using var bare = new HttpClient { BaseAddress = _server.Client.BaseAddress };
        await bare.GetStringAsync("/jobs/new");
        using var request = new HttpRequestMessage(HttpMethod.Post, $"/bench/{_capture}/pins")
        {
            Content = JsonContent.Create(new { at = 0.5, remark = "r" }),
        };
        if (token is not null)
            request.Headers.Add(WithToken.Header, token);
        var answer = await bare.SendAsync(request);
        Assert.Equal(HttpStatusCode.BadRequest, answer.StatusCode);
        Assert.Contains("Reload it", await answer.Content.ReadAsStringAsync(), StringComparison.Ordinal);
        using var db = _server.Open();
        Assert.Empty(db.Pins);
    }

    [Fact]
    public async Task A_form_without_its_cookie_is_refused_before_its_body_is_read()
    {
        var server = _server.Client.BaseAddress!;
        using var socket = new TcpClient(server.Host, server.Port);
        await using var stream = socket.GetStream();
        // Of ten megabytes one letter is sent: an answer comes without the rest.
        await stream.WriteAsync(
            Encoding.ASCII.GetBytes(
                $"POST /jobs/1/import HTTP/1.1\r\nHost: {server.Authority}\r\nContent-Type: multipart/form-data; boundary=b\r\n"
                    + "Content-Length: 10000000\r\n\r\n-"
            )
        );
        using var answer = new StreamReader(stream);
        var line = await answer.ReadLineAsync().WaitAsync(TimeSpan.FromSeconds(20));
        Assert.StartsWith("HTTP/1.1 400", line, StringComparison.Ordinal);
    }

    [Fact]
    public async Task Another_page_can_not_follow_the_live_stream()
    {
        using var socket = new ClientWebSocket();
        socket.Options.SetRequestHeader("Origin", "https://elsewhere.example");
        var hub = new UriBuilder(_server.Client.BaseAddress!) { Scheme = "ws", Path = "/live/hub" }.Uri;
        var error = await Assert.ThrowsAsync<WebSocketException>(() => socket.ConnectAsync(hub, default));
        Assert.Contains("403", error.Message, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("/")]
    [InlineData("/site.css")]
    [InlineData("/nowhere")]
    public async Task Every_answer_keeps_to_itself(string path)
    {
        var answer = await _server.Client.GetAsync(path);
        Assert.Equal("nosniff", answer.Headers.GetValues("X-Content-Type-Options").Single());
        Assert.Equal("same-origin", answer.Headers.GetValues("Referrer-Policy").Single());
        var policy = answer.Headers.GetValues("Content-Security-Policy").Single();
        Assert.DoesNotContain("unsafe", policy, StringComparison.Ordinal);
        Assert.All(["frame-ancestors 'none'", "base-uri 'none'", "form-action 'self'"], part => Assert.Contains(part, policy));
    }

    [Fact]
    public async Task Its_health_is_told()
    {
        Assert.Equal("ok", await _server.Client.GetStringAsync("/healthz"));
    }
}
