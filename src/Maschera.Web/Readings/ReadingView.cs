using Maschera.Core.Basics;
using Maschera.Core.Engines;
using Maschera.Core.Readings;
using Maschera.Store;
using Microsoft.AspNetCore.Html;
using Microsoft.AspNetCore.Mvc.Rendering;
using Microsoft.AspNetCore.Mvc.ViewEngines;

namespace Maschera.Web.Readings;

/// <summary>A stored reading as it is shown.</summary>
public sealed record ReadingView(StoredReading Reading, IReading Kind, ReadingResult Result, Engine Engine)
{
    /// <summary>The reading's name for a person.</summary>
    public string Title => Kind.TitleOf(Result);

    /// <summary>Its verdict with tone and the words a person says.</summary>
    public Verdict Verdict => Kind.VerdictOf(Result);

    /// <summary>What it was read from: each role's name for a person with the channel that stood for it.</summary>
    public IEnumerable<(string Role, string Label, string Channel)> Channels =>
        Result.Channels.Select(c => (c.Key, (Kind.Roles.FirstOrDefault(r => r.Name == c.Key)?.Label ?? c.Key).ToLowerInvariant(), c.Value));

    /// <summary>The stretches it found that stand out, with the address on the bench that shows and marks each.</summary>
    public IEnumerable<(string Label, string Address)> Places =>
        Result.Marks.Where(m => m.Odd).Take(MostPlaces).Select(m => ($"{m.Label} at {m.From:0.00} s", Address(m.From, m.To)));

    /// <summary>Where the bench shows what it found: the first stretch that stands out, else its capture.</summary>
    public string Place =>
        Result.Marks.FirstOrDefault(m => m.Odd) is { } odd ? Address(odd.From, odd.To)
        : Reading.Capture is { } capture ? capture.Address
        : $"/bench/{Reading.CaptureId}";

    /// <summary>The address on the bench that shows a stretch, s, with room on either side, and marks it.</summary>
    public string Address(double from, double to)
    {
        var room = Math.Max(2 * (to - from), Math.Max(LeastRoom, (Result.Span.To - Result.Span.From) / RoomShare));
        return FormattableString.Invariant(
            $"/bench/{Reading.CaptureId}?from={from - room:0.######}&to={to + room:0.######}&mark={from:0.######}~{to:0.######}"
        );
    }

    private const int MostPlaces = 6;

    /// <summary>Room shown on either side of a place: this many seconds, or the reading's stretch divided by the share.</summary>
    private const double LeastRoom = 0.02,
        RoomShare = 60;

    /// <summary>The view of a stored reading; null where its kind is no longer known.</summary>
    public static ReadingView? Of(StoredReading reading, Engine engine) =>
        ReadingRegistry.Find(reading.Kind) is { } kind && reading.Result is { } result ? new(reading, kind, result, engine) : null;
}

/// <summary>
/// Views of readings are found by convention: Readings/KIND/Bench.cshtml shows the figures on the bench, Report.cshtml on paper,
/// Job.cshtml all results of the kind on the job's page, Form.cshtml what the form needs beyond its roles and options.
/// </summary>
public static class ReadingParts
{
    /// <summary>The figures of a usable result: its own view, else a plain table.</summary>
    public static Task<IHtmlContent> FiguresAsync(this IHtmlHelper html, ReadingView view) =>
        view.Result.IsUnusable ? Nothing : html.PartialAsync(html.Find("Bench", view.Kind) ?? "/Readings/_Figures.cshtml", view);

    /// <summary>The figures of a usable result on paper.</summary>
    public static Task<IHtmlContent> OnPaperAsync(this IHtmlHelper html, ReadingView view) =>
        view.Result.IsUnusable || html.Find("Report", view.Kind) is not { } part ? html.FiguresAsync(view) : html.PartialAsync(part, view);

    /// <summary>What a kind shows of all its results in a job; nothing where it has no such view.</summary>
    public static Task<IHtmlContent> OnJobAsync(this IHtmlHelper html, IReading kind, IReadOnlyList<ReadingView> views) =>
        html.Find("Job", kind) is { } part ? html.PartialAsync(part, views) : Nothing;

    /// <summary>What a kind's form needs beyond its roles and options.</summary>
    public static Task<IHtmlContent> OnFormAsync(this IHtmlHelper html, IReading kind, Pages.Bench.CaptureModel model) =>
        html.Find("Form", kind) is { } part ? html.PartialAsync(part, model) : Nothing;

    private static Task<IHtmlContent> Nothing => Task.FromResult<IHtmlContent>(HtmlString.Empty);

    private static string? Find(this IHtmlHelper html, string part, IReading kind)
    {
        var path = $"/Readings/{kind.Kind}/{part}.cshtml";
        var engine = html.ViewContext.HttpContext.RequestServices.GetRequiredService<ICompositeViewEngine>();
        return engine.GetView(null, path, isMainPage: false).Success ? path : null;
    }
}
