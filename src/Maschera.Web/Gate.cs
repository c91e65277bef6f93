using Maschera.Store;
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
