using System.Globalization;
using System.Net;
using Maschera.Store;
using Maschera.Store.Upkeep;
using Serilog;

namespace Maschera.Web;

/// <summary>`report JOB --out FILE.html`: a job's report as one file, also while a server runs on the folder.</summary>
internal static class ReportCommand
{
    private const string Use = "report takes a job's number, --out FILE.html and, where it is not the usual one, --data DIR.";

    /// <summary>Runs it; what it can't do is one line on standard error.</summary>
    /// <returns>0, or 2 where it can't be done.</returns>
    public static async Task<int> RunAsync(string[] args)
    {
        if (Words(args) is not var (job, file, folder))
            return Refuse(Use);
        try
        {
            if (!File.Exists(Path.Combine(folder, DataFolder.DatabaseName)))
                return Refuse($"There is no data in {folder}: name the folder with --data DIR.");
            var html = await ReportAsync(new DataFolder(folder), job);
            if (html is null)
                return Refuse($"There is no job {job} in {folder}.");
            // Whole or not at all: beside its place first.
            var half = $"{file}.{Guid.NewGuid():N}";
            await File.WriteAllBytesAsync(half, html);
            File.Move(half, file, overwrite: true);
            Console.Out.WriteLine($"{file}: {html.Length / 1024.0:0} KB");
            return 0;
        }
        catch (Exception error) when (error is IOException or UnauthorizedAccessException or UpkeepException)
        {
            return Refuse($"{file}: {error.Message}");
        }
    }

    private static (int Job, string File, string Folder)? Words(string[] args)
    {
        string? file = null,
            folder = null,
            job = null;
        for (var i = 0; i < args.Length; i++)
            switch (args[i])
            {
                case "--out" when i + 1 < args.Length:
                    file = args[++i];
                    break;
                case "--data" when i + 1 < args.Length:
                    folder = args[++i];
                    break;
                default:
                    if (job is not null)
                        return null;
                    job = args[i];
                    break;
            }

        return int.TryParse(job, NumberStyles.None, CultureInfo.InvariantCulture, out var number) && file is { Length: > 0 }
            ? (number, file, folder ?? DataFolder.Usual)
            : null;
    }

    /// <summary>The file as the server gives it, from one that is up for this alone.</summary>
    private static async Task<byte[]?> ReportAsync(DataFolder data, int job)
    {
        var builder = Hosting.NewBuilder();
        builder.Host.UseSerilog((_, log) => log.MinimumLevel.Fatal());
        builder.WebHost.UseUrls("http://127.0.0.1:0");
        builder.AddMaschera(data);
        await using var app = builder.Build();
        app.UseMaschera();
        using (var scope = app.Services.CreateScope())
            scope.ServiceProvider.GetRequiredService<MascheraDb>().Prepare();
        await app.StartAsync();
        using var client = new HttpClient { BaseAddress = new Uri(app.Urls.First()) };
        using var answer = await client.GetAsync($"/jobs/{job}/report?handler=File");
        if (answer.StatusCode == HttpStatusCode.NotFound)
            return null;
        if (!answer.IsSuccessStatusCode)
            throw new IOException("the report could not be made; './maschera doctor' may say why.");
        return await answer.Content.ReadAsByteArrayAsync();
    }

    private static int Refuse(string why)
    {
        Console.Error.WriteLine(why.ReplaceLineEndings(" "));
        return 2;
    }
}
