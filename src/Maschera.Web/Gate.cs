using Maschera.Store;
using Microsoft.AspNetCore.Http.Features;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web;

/// <summary>What every request passes: headers that keep pages to themselves, and no writing from another page.</summary>
internal static class Gate
{
    private const string Policy =
        "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; object-src 'none'; base-uri 'none'; "
        + "form-action 'self'; frame-ancestors 'none'";

    private const string Hub = "/live/hub";

    /// <summary>Headers of every answer.</summary>
    public static Task TellHeaders(HttpContext context, RequestDelegate next)
    {
        var headers = context.Response.Headers;
        headers.ContentSecurityPolicy = Policy;
        headers.XContentTypeOptions = "nosniff";
        headers["Referrer-Policy"] = "same-origin";
        return next(context);
    }

    /// <summary>
    /// Refuses what changes something, and the live stream, where a browser says that another page asks for it: forms carry a token
    /// besides, the bench's and live's own requests do not.
    /// </summary>
    public static async Task RefuseForeign(HttpContext context, RequestDelegate next)
    {
        var request = context.Request;
        var isHarmless = HttpMethods.IsGet(request.Method) || HttpMethods.IsHead(request.Method);
        if (isHarmless && !request.Path.StartsWithSegments(Hub) || IsOwn(request))
        {
            await next(context);
            return;
        }

        context.Response.StatusCode = StatusCodes.Status403Forbidden;
        await context.Response.WriteAsJsonAsync(new { error = "Another page asked for this. Open Maschera itself and do it there." });
    }

    /// <summary>A file of captures may be large, and has to have room on the disk; everything else that is sent is small.</summary>
    public static async Task LimitBody(HttpContext context, RequestDelegate next)
    {
        var request = context.Request;
        var isFile = HttpMethods.IsPost(request.Method) && request.Path.Value?.EndsWith("/import", StringComparison.Ordinal) == true;
        var most = isFile ? LargestFile : LargestForm;
        if (context.Features.Get<IHttpMaxRequestBodySizeFeature>() is { IsReadOnly: false } limit)
            limit.MaxRequestBodySize = most;
        var problem =
            request.ContentLength is not { } length ? null
            : length > most ? $"At most {most >> 20} MB are taken at once; this is {length >> 20} MB."
            : isFile && NoRoom(context.RequestServices.GetRequiredService<DataFolder>(), length) ? FullDisk
            : null;
        if (problem is null)
        {
            await next(context);
            return;
        }

        context.Response.StatusCode = StatusCodes.Status413PayloadTooLarge;
        context.Response.Headers.Connection = "close";
        await context.Response.WriteAsync(problem);
    }

    /// <summary>What is said where nothing can be written any more.</summary>
    public const string FullDisk = "The server's disk has no room for it. Free some and try again; all that is there can be looked at.";

    private const long LargestFile = 4L << 30,
        LargestForm = 32L << 20;

    /// <summary>An upload stands on the disk as it comes, as it is kept, and as samples.</summary>
    private const int Copies = 3;

    private static bool NoRoom(DataFolder data, long length) => data.FreeBytes < Copies * length;

    private static bool IsOwn(HttpRequest request) =>
        request.Headers.Origin is not [{ Length: > 0 } origin]
            ? request.Headers["Sec-Fetch-Site"] is not ["cross-site" or "same-site"]
            : string.Equals(origin, $"{request.Scheme}://{request.Host}", StringComparison.OrdinalIgnoreCase);

    /// <summary>Whether the server can read its database, for what watches over it.</summary>
    public static void MapHealth(this WebApplication app) =>
        app.MapGet(
                "/healthz",
                async (MascheraDb db, CancellationToken cancel) =>
                    await db.Database.CanConnectAsync(cancel) && await db.Jobs.CountAsync(cancel) >= 0
                        ? Results.Text("ok")
                        : Results.StatusCode(StatusCodes.Status503ServiceUnavailable)
            )
            .AllowAnonymous();
}
