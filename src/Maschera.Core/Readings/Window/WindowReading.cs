using System.Globalization;
using System.Text.Json.Serialization.Metadata;
using Maschera.Core.Basics;
using Maschera.Core.Quantities;
using Maschera.Core.Signals;

namespace Maschera.Core.Readings.Window;

/// <summary>Whether a value stays in a window that moves with another one: idle speed while the coolant warms up, say.</summary>
public sealed class WindowReading : ReadingOf<WindowResult>
{
    private const int LeastSamples = 20,
        MostPoints = 1_200;

    /// <summary>Shorter stretches outside are noise, s.</summary>
    private const double UsualFor = 1;

    /// <summary>A window drawn by known-good captures is left for this share of the time now and then, %.</summary>
    private const double LeftBySound = 5;

    public override JsonTypeInfo ResultJson => WindowJson.Default.WindowResult;
    public override string Kind => "window";
    public override string Title => "Value in its window";

    public override string Method =>
        "At each sample the window's ends are taken on the straight line between its places, at the other value of that moment; beyond "
        + "its places nothing is judged.\n"
        + "A window comes as typed, from the known-good figures, or from known-good captures: the middle 96 % of their values in each "
        + "part of the other one's reach, a quarter wider. Only stretches outside that last are counted.";

    public override JobStep Step => JobStep.Look;

    public override IReadOnlyList<Verdict> Verdicts { get; } =
    [
        new("inside", Tone.Fine, "in its window"),
        new("below", Tone.Fault, "falls below its window"),
        new("above", Tone.Fault, "rises above its window"),
        new("leaves", Tone.Fault, "leaves its window both ways"),
        Verdict.Unusable,
    ];

    public override IReadOnlyList<Role> Roles { get; } = [new("value", "Value", [], []), new("other", "Moves with", [], [])];

    public override IReadOnlyList<ReadingOption> Options { get; } =
    [
        new("window", $"Window, such as {MovingWindow.Form}", OptionType.Words)
        {
            Usual = "the known-good one",
            KnownOver = ("value", "other"),
        },
        new("for", "Counts where it lasts", OptionType.Number) { Unit = "s", Usual = "1" },
    ];

    public override bool TakesReference => true;

    public override IReadOnlyList<string> ReferenceRoles => ["value", "other"];

    /// <summary>One log answers for many pairs.</summary>
    public override string Identity(IReadOnlyDictionary<string, string> channels) =>
        channels.TryGetValue("value", out var value) && channels.TryGetValue("other", out var other) ? $"{value} over {other}" : "";

    public override string TitleOf(ReadingResult result) => Identity(result.Channels) is { Length: > 0 } pair ? $"{Title}: {pair}" : Title;

    protected override WindowResult Make(ReadingRequest request, CancellationToken cancel)
    {
        var least = request.Number("for", UsualFor);
        if (!(least >= 0))
            throw new ReadingException("--for takes the seconds a stretch outside has to last, 0 or more.");
        var channels = RoleResolver.Resolve(this, request);
        if (!channels.TryGetValue("value", out var value) || !channels.TryGetValue("other", out var other))
            return Unusable(
                channels,
                new Note("no-pair", "A value and the one its window moves with are needed: --channel value=COLUMN --channel other=COLUMN.")
            );
        if (Finite(value) < LeastSamples || Finite(other) < LeastSamples)
            return Unusable(channels, new Note("short", $"Fewer than {LeastSamples} values: log a minute in which the other value moves."));
        List<Note> notes = [];
        if (WindowOf(request, value, other, notes) is not { } window)
            return Unusable(
                channels,
                new Note("no-window", $"No window is known: --window \"{MovingWindow.Form}\", or a known-good capture to draw it from.")
            );
        var (inUnit, otherInUnit) = (UnitConversion.In(value, window.Unit), UnitConversion.In(other, window.OtherUnit));
        if ((Foreign(inUnit, window.Unit) ?? Foreign(otherInUnit, window.OtherUnit)) is { } foreign)
            return Unusable(channels, foreign);
        cancel.ThrowIfCancellationRequested();
        return Judge(channels, window, (inUnit, otherInUnit), least, notes);
    }

    private static WindowResult Judge(
        Dictionary<string, Channel> channels,
        MovingWindow window,
        (Channel Value, Channel Other) of,
        double least,
        List<Note> notes
    )
    {
        var (value, other) = of;
        var course = Course(value, other, window, out var all);
        var known = course.Where(p => p.Least is not null || p.Most is not null).ToArray();
        if (known.Length < LeastSamples)
            return Unusable(channels, NeverThere(other, window));
        var breaches = Breaches(course, value.Time.Step, least);
        var seconds = breaches.Sum(b => b.To - b.From + value.Time.Step);
        var outside = Math.Min(100, 100 * seconds / (known.Length * value.Time.Step));
        var drawn = notes.Count > 0;
        if (drawn && outside < LeftBySound)
            breaches = [];
        var worst = breaches.MaxBy(b => Math.Abs(b.Worst));
        var share = 100.0 * known.Length / all;
        if (share < 90)
            notes.Add(new("partly", $"The window is known in {share:0} % of the time here; the rest is not judged."));
        var verdict = VerdictOf(breaches);
        return new WindowResult
        {
            Verdict = verdict,
            Sentence = Sentence(verdict, value, other, window, outside, worst),
            Notes = notes,
            Channels = RoleResolver.Names(channels),
            Span = new Stretch(course[0].Seconds, course[^1].Seconds),
            Unit = value.Unit,
            OtherUnit = other.Unit,
            Window = (window with { Unit = value.Unit, OtherUnit = other.Unit }).Said,
            OutsidePercent = outside,
            KnownPercent = share,
            Worst = worst?.Worst,
            Breaches = breaches,
            Course = Resampling.Thinned(course, MostPoints),
        };
    }

    private static string VerdictOf(IReadOnlyList<Outside> breaches) =>
        (breaches.Any(b => b.Worst < 0), breaches.Any(b => b.Worst > 0)) switch
        {
            (true, true) => "leaves",
            (true, false) => "below",
            (false, true) => "above",
            _ => "inside",
        };

    private static MovingWindow? WindowOf(ReadingRequest request, Channel value, Channel other, List<Note> notes)
    {
        if (request.Options.TryGetValue("window", out var typed) && !string.IsNullOrWhiteSpace(typed))
            return MovingWindow.Parse(typed)
                ?? throw new ReadingException($"'{typed}' is no window: write it like \"{MovingWindow.Form}\", two places or more.");
        var known = Known(request, value, other);
        List<(double, double)> pooled = [.. known.SelectMany(k => Pairs(k.Value, k.Other))];
        if (MovingWindow.Of(pooled) is not { } window)
            return null;
        var count = known.Count == 1 ? "a single known-good capture" : $"{known.Count} known-good captures";
        notes.Add(
            new(
                "drawn",
                $"The window was drawn from {count}; up to {LeftBySound:0} % of the time outside is no sign of anything"
                    + (known.Count == 1 ? ", and others of the kind may lie apart from this one." : ".")
            )
        );
        return window with { Unit = value.Unit, OtherUnit = other.Unit };
    }

    /// <summary>The pair in every known-good capture that has it, in the units of the capture.</summary>
    private static List<(Channel Value, Channel Other)> Known(ReadingRequest request, Channel value, Channel other)
    {
        List<KnownGood> good = [.. request.MoreReferences];
        if (request.Reference is { } first)
            good.Insert(0, new(first, request.ReferenceChannels));
        Channel? Find(KnownGood known, string role, Channel like) =>
            known.Capture.Find(known.Channels.GetValueOrDefault(role, like.Name)) is { } found ? UnitConversion.In(found, like.Unit) : null;
        return
        [
            .. from known in good
            let a = Find(known, "value", value)
            let b = Find(known, "other", other)
            where a is not null && b is not null && a.Unit == value.Unit && b.Unit == other.Unit
            select (a, b),
        ];
    }

    private static IEnumerable<(double Other, double Value)> Pairs(Channel value, Channel other) =>
        from i in Enumerable.Range(0, value.Samples.Length)
        let held = Held(other, value.Time[i])
        where float.IsFinite(value.Samples[i]) && double.IsFinite(held)
        select (held, (double)value.Samples[i]);

    private static WindowPoint[] Course(Channel value, Channel other, MovingWindow window, out int all)
    {
        List<WindowPoint> points = [];
        all = 0;
        for (var i = 0; i < value.Samples.Length; i++)
        {
            var held = Held(other, value.Time[i]);
            if (!float.IsFinite(value.Samples[i]) || !double.IsFinite(held))
                continue;
            all++;
            var at = window.At(held);
            points.Add(new(value.Time[i], held, value.Samples[i], at?.From, at?.To));
        }

        return [.. points];
    }

    /// <summary>The other value as the log holds it; nothing where the two were not logged at one time.</summary>
    private static double Held(Channel other, double seconds) =>
        seconds < other.Time.Start - other.Time.Step || seconds > other.Time.End + other.Time.Step
            ? double.NaN
            : Resampling.Held(other, seconds);

    private static List<Outside> Breaches(WindowPoint[] course, double step, double least)
    {
        List<Outside> found = [];
        for (var i = 0; i < course.Length; i++)
        {
            var side = Math.Sign(course[i].Outside);
            if (side == 0)
                continue;
            var end = i;
            while (end + 1 < course.Length && Math.Sign(course[end + 1].Outside) == side)
                end++;
            var worst = course[i..(end + 1)].MaxBy(p => Math.Abs(p.Outside));
            if (course[end].Seconds - course[i].Seconds + step >= least)
                found.Add(new(course[i].Seconds, course[end].Seconds, worst.Outside, worst.Other, worst.Value));
            i = end;
        }

        return found;
    }

    private static string Sentence(string verdict, Channel value, Channel other, MovingWindow window, double outside, Outside? worst)
    {
        var over = $"over {Name(other)}";
        if (worst is null)
            return $"{value.Name} stays in its window {over}.";
        var ends = window.At(worst.Other)!.Value.Rounded();
        var way = verdict switch
        {
            "below" => "falls below",
            "above" => "rises above",
            _ => "leaves",
        };
        return $"{value.Name} {way} its window {over} for {outside:0} % of the time: at worst {Said(worst.Value, value.Unit)} at "
            + $"{Said(worst.Other, other.Unit)}, where {ends.Said} {value.Unit}".TrimEnd()
            + " is known.";
    }

    private static Note NeverThere(Channel other, MovingWindow window) =>
        new(
            "elsewhere",
            $"The window is known from {Said(window.Reach.From, "")} to {Said(window.Reach.To, other.Unit)} of {other.Name}, which hardly "
                + "was there: log it there, the warming up say."
        );

    private static Note? Foreign(Channel channel, string unit) =>
        unit.Length == 0 || channel.Unit.Length == 0 || string.Equals(channel.Unit, unit, StringComparison.OrdinalIgnoreCase)
            ? null
            : new("unit", $"{channel.Name} is in {channel.Unit}, the window in {unit}: they can't be held against each other.");

    private static string Name(Channel other) => other.Name.ToLowerInvariant();

    private static string Said(double value, string unit) =>
        string.Create(CultureInfo.InvariantCulture, $"{value:0.##} {unit}").TrimEnd().Replace('-', '−');

    private static int Finite(Channel channel) => channel.Samples.Count(float.IsFinite);
}
