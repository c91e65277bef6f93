using System.Net;
using System.Text.RegularExpressions;

namespace Maschera.Web.Tests;

/// <summary>A browser without scripts: forms with their token, redirects not followed, cookies kept.</summary>
internal sealed partial class PageClient : IDisposable
{
    private readonly HttpClient _client;

    public PageClient(ServerOnFolder server)
        : this(server.Client.BaseAddress!) { }

    public PageClient(Uri server) => _client = new HttpClient(new HttpClientHandler { AllowAutoRedirect = false }) { BaseAddress = server };

    public void Dispose() => _client.Dispose();

    public async Task<string> ReadAsync(string path)
    {
        var answer = await _client.GetAsync(path);
        Assert.Equal((path, HttpStatusCode.OK), (path, answer.StatusCode));
        return await answer.Content.ReadAsStringAsync();
    }

    public async Task<HttpStatusCode> StatusAsync(string path) => (await _client.GetAsync(path)).StatusCode;

    /// <summary>Posts a form whose token stands on a page; the fields may name one several times.</summary>
    public async Task<HttpResponseMessage> PostAsync(string page, string action, params IEnumerable<(string Name, string Value)> fields)
    {
        var pairs = fields.Append(("__RequestVerificationToken", await TokenAsync(page)));
        using var form = new FormUrlEncodedContent(pairs.Select(p => KeyValuePair.Create(p.Item1, p.Item2)));
        return await _client.PostAsync(action, form);
    }

    /// <summary>Posts what is made elsewhere, its token in it.</summary>
    public Task<HttpResponseMessage> SendAsync(string action, HttpContent form) => _client.PostAsync(action, form);

    /// <summary>The same by another method.</summary>
    public async Task<HttpResponseMessage> SendAsync(HttpMethod method, string action, HttpContent content)
    {
        using var request = new HttpRequestMessage(method, action) { Content = content };
        return await _client.SendAsync(request);
    }

    /// <summary>Uploads a file to a job and returns where the answer leads.</summary>
    public async Task<string> UploadAsync(int job, string fileName, byte[] content)
    {
        using var form = new MultipartFormDataContent
        {
            { new StringContent(await TokenAsync($"/jobs/{job}")), "__RequestVerificationToken" },
            { new ByteArrayContent(content), "file", fileName },
        };
        var answer = await _client.PostAsync($"/jobs/{job}/import", form);
        Assert.Equal(HttpStatusCode.Found, answer.StatusCode);
        return answer.Headers.Location!.ToString();
    }

    /// <summary>The fields of a page's form as a browser would send them unchanged.</summary>
    public static IEnumerable<(string Name, string Value)> FieldsOf(string html)
    {
        foreach (Match input in Inputs().Matches(html))
        {
            var (tag, name) = (input.Value, Attribute(input.Value, "name"));
            if (name is null or "__RequestVerificationToken" || tag.Contains("type=\"checkbox\"") && !tag.Contains("checked"))
                continue;
            yield return (name, WebUtility.HtmlDecode(Attribute(tag, "value") ?? ""));
        }

        foreach (Match select in Selects().Matches(html))
        {
            var options = Options().Matches(select.Value);
            var chosen = options.FirstOrDefault(o => o.Groups[1].Value.Contains("selected", StringComparison.Ordinal)) ?? options[0];
            var value = Attribute(chosen.Groups[1].Value, "value") ?? chosen.Groups[2].Value;
            yield return (Attribute(select.Value, "name")!, WebUtility.HtmlDecode(value));
        }
    }

    /// <summary>The token of a page.</summary>
    public async Task<string> TokenAsync(string page) => WithToken.Of(await ReadAsync(page));

    private static string? Attribute(string tag, string name) =>
        Regex.Match(tag, $"\\b{name}=\"([^\"]*)\"") is { Success: true } match ? match.Groups[1].Value : null;

    [GeneratedRegex("<input [^>]*>")]
    private static partial Regex Inputs();

    [GeneratedRegex("<select [^>]*>.*?</select>", RegexOptions.Singleline)]
    private static partial Regex Selects();

    [GeneratedRegex("<option([^>]*)>([^<]*)")]
    private static partial Regex Options();
}
