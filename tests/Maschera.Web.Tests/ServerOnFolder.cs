using Maschera.App;
using Maschera.Store;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Hosting;
using Microsoft.Data.Sqlite;
using Microsoft.Extensions.DependencyInjection;

namespace Maschera.Web.Tests;

/// <summary>The whole application in this process, on a data folder of its own and a free port.</summary>
public sealed class ServerOnFolder : IAsyncDisposable
{
    private ServerOnFolder(WebApplication app, string folder) => (App, Folder) = (app, folder);

    public WebApplication App { get; }
    public string Folder { get; }
    public HttpClient Client { get; } = new(new WithToken());

    /// <summary>Starts it, filled by <paramref name="fill"/>.</summary>
    /// <param name="also">What the server is built with besides.</param>
    public static async Task<ServerOnFolder> StartAsync(Action<MascheraDb, IServiceProvider> fill, Action<IServiceCollection>? also = null)
    {
        var folder = Directory.CreateTempSubdirectory("maschera").FullName;
        var builder = WebApplication.CreateBuilder(
            new WebApplicationOptions
            {
                ApplicationName = "Maschera.Web",
                ContentRootPath = AppContext.BaseDirectory,
                WebRootPath = Styled(folder),
            }
        );
        builder.WebHost.UseUrls("http://127.0.0.1:0");
        builder.AddMaschera(new DataFolder(folder));
        also?.Invoke(builder.Services);
        var server = new ServerOnFolder(builder.Build(), folder);
        server.App.UseMaschera();
        using (var scope = server.App.Services.CreateScope())
        {
            var db = scope.ServiceProvider.GetRequiredService<MascheraDb>();
            db.Prepare();
            fill(db, scope.ServiceProvider);
        }

        await server.App.StartAsync();
        server.Client.BaseAddress = new Uri(server.App.Urls.First());
        return server;
    }

    /// <summary>Styles with a typeface, as the client's build leaves them, for what is given out as one file.</summary>
    private static string Styled(string folder)
    {
        var root = Path.Combine(folder, "web");
        Directory.CreateDirectory(Path.Combine(root, "fonts"));
        File.WriteAllText(Path.Combine(root, "site.css"), "@font-face { src: url(\"/fonts/a.woff2\"); } h1 { color: red; }");
        File.WriteAllBytes(Path.Combine(root, "fonts", "a.woff2"), [1, 2, 3]);
        return root;
    }

    /// <summary>Its database, on a connection of its own.</summary>
    public MascheraDb Open() => new(MascheraDb.ForFile(Path.Combine(Folder, "maschera.db")));

    /// <summary>
    /// Closes the idle connections to a folder's database. Those of other tests that run beside this one are left alone: taking
    /// them away makes their servers fail.
    /// </summary>
    public static void LetGo(string folder)
    {
        using var connection = new SqliteConnection($"Data Source={Path.Combine(folder, "maschera.db")}");
        SqliteConnection.ClearPool(connection);
    }

    public async ValueTask DisposeAsync()
    {
        Client.Dispose();
        await App.StopAsync();
        await App.DisposeAsync();
        LetGo(Folder);
        Directory.Delete(Folder, recursive: true);
    }
}
