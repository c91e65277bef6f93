using Maschera.Store;
using Microsoft.AspNetCore.Antiforgery;
using Microsoft.AspNetCore.Http.Features;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.AspNetCore.SignalR;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.Options;

namespace Maschera.Web;

/// <summary>What every request passes: headers that keep pages to themselves, and no writing from another page.</summary>
internal static class Gate
{
    private const string Policy =
        "default-src 'self'; img-src 'self' data: blob:; object-src 'none'; base-uri 'none'; "
        + "form-action 'self'; frame-ancestors 'none'";

    private const string Hub = "/live/hub";

    /// <summary>Headers of every answer.</summary>
    public static Task TellHeaders(HttpContext context, RequestDelegate next)
    {
        var headers = context.Response.Headers;
        headers.ContentSecurityPolicy = Policy;
        headers.XContentTypeOptions = "nosniff";
        headers["Referrer-Policy"] = "same-origin";
        headers["Cross-Origin-Opener-Policy"] = "same-origin";
        headers["Cross-Origin-Resource-Policy"] = "same-origin";
        headers["Permissions-Policy"] = "camera=(), geolocation=(), microphone=(self)";
        return next(context);
    }

    /// <summary>
    /// Refuses what changes something, and the live stream, where a browser says that another page asks for it. A token is asked for
    /// besides, in forms by their pages and in the rest by <see cref="RequireToken"/>.
    /// </summary>
    public static async Task RefuseForeign(HttpContext context, RequestDelegate next)
    {
        var request = context.Request;
        if (IsHarmless(request) && !request.Path.StartsWithSegments(Hub) || IsOwn(request))
        {
            await next(context);
            return;
        }

        context.Response.StatusCode = StatusCodes.Status403Forbidden;
        await context.Response.WriteAsJsonAsync(new { error = "Another page asked for this. Open Maschera itself and do it there." });
    }

    private static bool IsHarmless(HttpRequest request) => HttpMethods.IsGet(request.Method) || HttpMethods.IsHead(request.Method);

    /// <summary>
    /// What the bench and live change by script carries the page's token in a header. A page looks at its form's token itself, but
    /// only once the body has been read; where the cookie that goes with it is missing, nothing is read at all.
    /// </summary>
    public static async Task RequireToken(HttpContext context, RequestDelegate next)
    {
        if (IsHarmless(context.Request) || context.GetEndpoint() is not { } endpoint || await HoldsTokenAsync(context, endpoint))
        {
            await next(context);
            return;
        }

        context.Response.StatusCode = StatusCodes.Status400BadRequest;
        context.Response.Headers.Connection = "close";
        await context.Response.WriteAsJsonAsync(new { error = "The page was open for too long. Reload it and do it again." });
    }

    private static async Task<bool> HoldsTokenAsync(HttpContext context, Endpoint endpoint)
    {
        var request = context.Request;
        var antiforgery = context.RequestServices.GetRequiredService<IOptions<AntiforgeryOptions>>().Value;
        if (
            endpoint.Metadata.GetMetadata<HubMetadata>() is not null
            || endpoint.Metadata.GetMetadata<IgnoreAntiforgeryTokenAttribute>() is not null
        )
            return true;
        if (!request.Cookies.ContainsKey(antiforgery.Cookie.Name!))
            return false;
        return endpoint.Metadata.GetMetadata<PageActionDescriptor>() is not null
            || request.Headers.ContainsKey(antiforgery.HeaderName!)
                && await context.RequestServices.GetRequiredService<IAntiforgery>().IsRequestValidAsync(context);
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
