using System.Net;
using System.Text.Json;
using System.Text.Json.Serialization;
using Maschera.App;
using Maschera.App.Live;
using Maschera.Store;
using Maschera.Store.Upkeep;
using Maschera.Web.Live;
using Maschera.Web.Pages.Bench;
using Maschera.Web.Pages.Reports;
using Maschera.Web.Pages.Rig;
using Maschera.Web.People;
using Microsoft.AspNetCore.DataProtection;
using Microsoft.AspNetCore.HostFiltering;
using Microsoft.AspNetCore.Http.Features;
using Microsoft.AspNetCore.Mvc;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web;

/// <summary>Puts the application together.</summary>
public static class Hosting
{
    /// <summary>Fields of a form: the preview has six a channel, and a log may have a thousand channels.</summary>
    private const int MostFormValues = 10_000;

    /// <summary>A builder that finds styles and scripts beside the program.</summary>
    public static WebApplicationBuilder NewBuilder() =>
        WebApplication.CreateBuilder(new WebApplicationOptions { ContentRootPath = AppContext.BaseDirectory, WebRootPath = "wwwroot" });

    /// <summary>Registers everything the pages need, on a data folder.</summary>
    /// <param name="reach">From where it is reached; this machine alone where null.</param>
    public static void AddMaschera(this WebApplicationBuilder builder, DataFolder data, Reach? reach = null)
    {
        var services = builder.Services;
        reach ??= new Reach(new IPEndPoint(IPAddress.Loopback, 0), []);
        services.AddReach(reach);
        if (reach.IsOpen)
            services.AddPeople(data);
        // A foreign page may resolve its own name to this machine; only the server's names are answered.
        services.Configure<HostFilteringOptions>(options => options.AllowedHosts = [.. reach.Allowed]);
        services.AddSingleton(data);
        services.AddDbContextPool<MascheraDb>(options => MascheraDb.Use(options, data.Database));
        services.AddScoped<SampleStore>();
        services.AddScoped<ReadingService>();
        services.AddScoped<KnownFigures>();
        services.AddScoped<CaptureIntake>();
        services.AddScoped<VehicleService>();
        services.AddScoped<SheetService>();
        services.AddScoped<PracticeService>();
        services.AddScoped<ReportSheet>();
        services.AddScoped<Strengths>();
        services.AddScoped<DemoData>();
        services.AddSingleton<JobLeads>();
        services.AddSingleton<CounterTotals>();
        services.AddSingleton<ImportService>();
        services.AddSingleton<DeriveService>();
        services.AddSingleton<ClockService>();
        services.AddSingleton<LiveService>();
        services.AddHostedService(provider => provider.GetRequiredService<LiveService>());
        services.AddSignalR();
        services.ConfigureHttpJsonOptions(json =>
            json.SerializerOptions.Converters.Add(new JsonStringEnumConverter(JsonNamingPolicy.CamelCase))
        );
        services.AddDataProtection().PersistKeysToFileSystem(new DirectoryInfo(Path.Combine(data.Root, "keys")));
        services.AddRazorPages(options =>
            options.Conventions.AddPageRoute("/Jobs/Edit", "/jobs/new").AddPageRoute("/Engines/Edit", "/engines/new")
        );
        // Captures of any size may be uploaded; they are streamed to disk.
        services.Configure<FormOptions>(options =>
        {
            options.MultipartBodyLengthLimit = long.MaxValue;
            options.ValueCountLimit = MostFormValues;
        });
        services.Configure<MvcOptions>(options =>
        {
            options.MaxModelBindingCollectionSize = MostFormValues;
            options.Filters.Add<RefuseUnknown>();
        });
        builder.WebHost.ConfigureKestrel(kestrel => kestrel.Limits.MaxRequestBodySize = null);
    }

    /// <summary>
    /// What the bench asks for by script answers with a sentence where samples are damaged or the disk is full; a page shows it itself.
    /// </summary>
    private static async Task SayFaults(HttpContext context, RequestDelegate next)
    {
        try
        {
            await next(context);
        }
        catch (Exception error)
            when (Fault(error) is not null
                && !context.Response.HasStarted
                && !context.Request.Headers.Accept.ToString().Contains("html", StringComparison.Ordinal)
            )
        {
            (context.Response.StatusCode, var said) = Fault(error)!.Value;
            Counters.Errors.Add(1);
            await context.Response.WriteAsJsonAsync(new { error = said });
        }
    }

    private static (int Status, string Said)? Fault(Exception error) =>
        error is DamagedDataException ? (StatusCodes.Status500InternalServerError, error.Message)
        : StartFaults.IsFull(error) ? (StatusCodes.Status507InsufficientStorage, Gate.FullDisk)
        : null;

    /// <summary>The order in which a request passes.</summary>
    public static void UseMaschera(this WebApplication app)
    {
        // Counts from the start on, whoever asks when.
        app.Services.GetRequiredService<CounterTotals>();
        app.UseHostFiltering();
        app.UseExceptionHandler("/error");
        app.UseStatusCodePagesWithReExecute("/error", "?code={0}");
        app.Use(Gate.TellHeaders);
        app.Use(Gate.RefuseForeign);
        app.Use(Gate.LimitBody);
        app.Use(SayFaults);
        app.UseStaticFiles();
        app.UseRouting();
        app.UsePeople(app.Services.GetRequiredService<Reach>());
        app.Use(Gate.RequireToken);
        app.MapRazorPages();
        app.MapHealth();
        app.MapBenchWindow();
        app.MapBenchMeasure();
        app.MapBenchChannels();
        app.MapBenchExport();
        app.MapBenchClock();
        app.MapBenchCycles();
        app.MapBenchLog();
        app.MapLive();
    }
}
