using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.Filters;

namespace Maschera.Web;

/// <summary>
/// A page is asked for something it does not do: not found, rather than the page without what its own handlers load. A box that is
/// neither ticked nor not is refused, for the form could not show it again.
/// </summary>
internal sealed class RefuseUnknown : IPageFilter
{
    /// <inheritdoc/>
    public void OnPageHandlerSelected(PageHandlerSelectedContext context) { }

    /// <inheritdoc/>
    public void OnPageHandlerExecuting(PageHandlerExecutingContext context)
    {
        if (IsUnknown(context))
            context.Result = new NotFoundResult();
        else if (context.ModelState.Any(s => s.Value is { } v && v.Errors.Count > 0 && IsBox(context, s.Key)))
            context.Result = new BadRequestObjectResult("A box is ticked (true) or not (false); something else was sent.");
    }

    /// <inheritdoc/>
    public void OnPageHandlerExecuted(PageHandlerExecutedContext context) { }

    /// <summary>The framework takes the page's own handler where one is asked for that it has not.</summary>
    private static bool IsUnknown(PageHandlerExecutingContext context)
    {
        if (context.ActionDescriptor.ViewEnginePath.Equals("/Error", StringComparison.Ordinal))
            return false;
        var request = context.HttpContext.Request;
        var named = request.Query["handler"].ToString();
        var looks = HttpMethods.IsGet(request.Method) || HttpMethods.IsHead(request.Method);
        return named.Length > 0
            ? !named.Equals(context.HandlerMethod?.Name, StringComparison.OrdinalIgnoreCase)
            : context.HandlerMethod is null && !looks;
    }

    /// <summary>True for a property of the page, or of a form of it, that is true or false.</summary>
    private static bool IsBox(PageHandlerExecutingContext context, string key)
    {
        var type = context.HandlerInstance.GetType();
        foreach (var name in key.Split('.'))
        {
            if (type.GetProperty(name.Split('[')[0])?.PropertyType is not { } next)
                return false;
            type = name.Contains('[', StringComparison.Ordinal) && next.IsGenericType ? next.GetGenericArguments()[0] : next;
        }

        return type == typeof(bool);
    }
}
