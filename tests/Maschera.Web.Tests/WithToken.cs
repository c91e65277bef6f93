using System.Text.RegularExpressions;

namespace Maschera.Web.Tests;

/// <summary>Sends along what the bench's scripts send along: the token of a page, with its cookie.</summary>
internal sealed partial class WithToken() : DelegatingHandler(new HttpClientHandler())
{
    public const string Header = "RequestVerificationToken";

    /// <summary>The token of a page.</summary>
    public static string Of(string html) => Token().Match(html).Groups[1].Value;

    protected override async Task<HttpResponseMessage> SendAsync(HttpRequestMessage request, CancellationToken cancel)
    {
        if (request.Method != HttpMethod.Get && !request.Headers.Contains(Header))
        {
            using var page = new HttpRequestMessage(HttpMethod.Get, new Uri(request.RequestUri!, "/jobs/new"));
            using var answer = await base.SendAsync(page, cancel);
            request.Headers.Add(Header, Of(await answer.Content.ReadAsStringAsync(cancel)));
        }

        return await base.SendAsync(request, cancel);
    }

    [GeneratedRegex("name=\"__RequestVerificationToken\" type=\"hidden\" value=\"([^\"]+)\"")]
    private static partial Regex Token();
}
