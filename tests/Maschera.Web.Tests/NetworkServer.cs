using System.Net;

namespace Maschera.Web.Tests;

/// <summary>A server on a network with people, as a process on a folder of its own, with its first person Ada.</summary>
public sealed class NetworkServer : ServerProcess, IAsyncLifetime
{
    public const string Password = "long enough to be one";

    public int Port { get; } = FreePort();

    /// <summary>What its console said, line by line.</summary>
    public List<string> Said { get; } = [];

    /// <summary>The word of the first person.</summary>
    public string Word => Said[^1].Split(' ')[^1];

    public async ValueTask InitializeAsync()
    {
        var process = Run("Maschera.Web.dll", "--data", Folder, "--listen", $"0.0.0.0:{Port}", "--host", "garage.test");
        for (var i = 0; i < 3; i++)
            Said.Add((await process.StandardOutput.ReadLineAsync().WaitAsync(TimeSpan.FromMinutes(4)))!);
        using (var db = Open())
        {
            db.Engines.Add(new Store.StoredEngine { Name = "Four", Json = """{"cylinders":4,"firingOrder":[1,3,4,2]}""" });
            db.SaveChanges();
        }

        using var ada = Browser();
        var added = await PostAsync(ada, "/people/first", "/people/first", ("word", Word), ("Name", "Ada"), ("password", Password));
        Assert.Equal(HttpStatusCode.Found, added.StatusCode);
    }

    public ValueTask DisposeAsync()
    {
        Dispose();
        return ValueTask.CompletedTask;
    }

    /// <summary>A browser of its own that trusts the server's certificate and follows nothing.</summary>
    public HttpClient Browser()
    {
        var handler = new HttpClientHandler
        {
            AllowAutoRedirect = false,
            ServerCertificateCustomValidationCallback = HttpClientHandler.DangerousAcceptAnyServerCertificateValidator,
        };
        var browser = new HttpClient(handler) { BaseAddress = new Uri($"https://127.0.0.1:{Port}") };
        browser.DefaultRequestHeaders.Add("Accept", "text/html");
        return browser;
    }

    /// <summary>A browser that has entered.</summary>
    public async Task<HttpClient> EnteredAsync(string name, string password = Password)
    {
        var browser = Browser();
        var entered = await PostAsync(browser, "/people/enter", "/people/enter", ("Name", name), ("password", password));
        Assert.Equal(HttpStatusCode.Found, entered.StatusCode);
        return browser;
    }

    /// <summary>Adds somebody, by Ada.</summary>
    public async Task AddAsync(string name, string role)
    {
        using var ada = await EnteredAsync("Ada");
        var added = await PostAsync(ada, "/people", "/people", ("Name", name), ("Role", role), ("password", Password));
        Assert.Equal(HttpStatusCode.Found, added.StatusCode);
    }

    /// <summary>Posts a form whose token stands on a page.</summary>
    public static async Task<HttpResponseMessage> PostAsync(
        HttpClient browser,
        string page,
        string action,
        params IEnumerable<(string Name, string Value)> fields
    )
    {
        var token = WithToken.Of(await browser.GetStringAsync(page));
        using var form = new FormUrlEncodedContent(
            fields.Append(("__RequestVerificationToken", token)).Select(f => KeyValuePair.Create(f.Item1, f.Item2))
        );
        return await browser.PostAsync(action, form);
    }

    /// <summary>Its database.</summary>
    public Store.MascheraDb Database() => Open();
}
