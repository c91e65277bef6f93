using Maschera.App;
using Maschera.Store;
using Maschera.Store.People;
using Maschera.Store.Upkeep;
using Maschera.Web;
using Maschera.Web.People;
using Serilog;
using Serilog.Formatting.Compact;

if (args is ["report", ..])
    return await ReportCommand.RunAsync(args[1..]);
var words = ServerWords.Parse(args);
if (words.Problem is not null)
{
    Console.Error.WriteLine(words.Problem);
    return 2;
}

try
{
    await ServeAsync();
    return 0;
}
catch (Exception error) when (StartFaults.Said(error, words) is { } said)
{
    Console.Error.WriteLine(said);
    return 2;
}

async Task ServeAsync()
{
    const int LogDays = 14;
    const long LargestLog = 10 << 20;
    var data = new DataFolder(words.Data);
    using var alone = FolderLock.Take(data);
    if (words.Fresh)
        DemoData.Clear(data);
    var builder = Hosting.NewBuilder();
    builder.Host.UseSerilog(
        (_, log) =>
            log
                .MinimumLevel.Warning()
                .MinimumLevel.Override("Microsoft.AspNetCore.DataProtection", Serilog.Events.LogEventLevel.Error)
                // What keeps the server from starting is said in one sentence below.
                .MinimumLevel.Override("Microsoft.Extensions.Hosting.Internal.Host", Serilog.Events.LogEventLevel.Fatal)
                .WriteTo.Console(formatProvider: System.Globalization.CultureInfo.InvariantCulture)
                .WriteTo.File(
                    new CompactJsonFormatter(),
                    Path.Combine(data.Logs, "maschera-.json"),
                    rollingInterval: RollingInterval.Day,
                    retainedFileCountLimit: LogDays,
                    fileSizeLimitBytes: LargestLog,
                    rollOnFileSizeLimit: true
                )
    );
    var reach = words.Reach;
    builder.AddMaschera(data, reach);
    if (reach.IsOpen)
        builder.Secure(reach, ServerCertificate.Of(words.Certificate, reach, data));
    else
        builder.WebHost.UseUrls(reach.Url);
    if (words.Backup is { } to)
    {
        builder.Services.AddSingleton(new BackupPlace(to));
        builder.Services.AddHostedService(services => new DailyBackup(data, to, services.GetRequiredService<ILogger<DailyBackup>>()));
    }

    builder.Services.AddHostedService<Sweeping>();
    var app = builder.Build();
    app.UseMaschera();
    using (var scope = app.Services.CreateScope())
    {
        var db = scope.ServiceProvider.GetRequiredService<MascheraDb>();
        db.Prepare();
        scope.ServiceProvider.GetService<PeopleDb>()?.Prepare();
        db.Sweep(DateTime.UtcNow);
        data.Sweep(DateTime.UtcNow);
        if (words.Demo)
            scope.ServiceProvider.GetRequiredService<DemoData>().FillIfEmpty();
    }

    app.Lifetime.ApplicationStarted.Register(() => app.Services.Welcome(reach));
    await app.RunAsync();
}
