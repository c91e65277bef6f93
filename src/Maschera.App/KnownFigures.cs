using System.Text.Json;
using Maschera.Core.Basics;
using Maschera.Core.Quantities;
using Maschera.Core.Readings;
using Maschera.Core.Signals;
using Maschera.Store;
using Microsoft.EntityFrameworkCore;

namespace Maschera.App;

/// <summary>A measured figure beside the known-good one.</summary>
/// <param name="Figure">What was measured.</param>
/// <param name="Known">What it is held against.</param>
/// <param name="Window">That in the measured one's unit.</param>
public sealed record FigureBeside(KeyFigure Figure, StoredFigure Known, FigureWindow Window)
{
    /// <summary>False where it lies outside by more than it may scatter.</summary>
    public bool Fits => Window.Holds(Figure.Value!.Value, Figure.Spread ?? 0);
}

/// <summary>The figures of the shelf: kept by hand or made of known-good captures, held against what is measured.</summary>
public sealed class KnownFigures(MascheraDb db, ReadingService readings)
{
    private const int LongestWord = 100,
        LongestWindow = 2_000;

    /// <summary>Most figures in a file.</summary>
    public const int MostInFile = 2_000;

    /// <summary>A window from captures reaches this many standard deviations to either side of their median.</summary>
    private const double Reach = 2;

    /// <summary>An engine's figures, those that are not deleted.</summary>
    public IQueryable<StoredFigure> Of(int engine) =>
        db.Figures.Where(f => f.EngineId == engine && f.DeletedAt == null).OrderBy(f => f.Kind).ThenBy(f => f.About).ThenBy(f => f.Name);

    /// <summary>What is measured beside what is known for its engine and state; empty where nothing is known.</summary>
    public static IReadOnlyList<FigureBeside> Beside(ReadingResult result, string? state, IReadOnlyList<StoredFigure> known)
    {
        if (result.IsUnusable || known.Count == 0)
            return [];
        var about = AboutOf(result);
        return
        [
            .. from figure in result.Compared
            where figure.Value is not null
            from row in known
            where
                row.Moves.Length == 0
                && row.Kind == result.Reading
                && IsFor(row, figure.Name, state)
                && (row.About.Length == 0 || Same(row.About, about))
            let window = WindowOf(row, figure.Unit)
            where window is not null
            select new FigureBeside(figure, row, window.Value),
        ];
    }

    /// <summary>What is wrong with a figure; null where nothing is.</summary>
    public static string? Problem(StoredFigure figure) =>
        ReadingRegistry.Find(figure.Kind) is null ? $"There is no reading '{figure.Kind}'."
        : string.IsNullOrWhiteSpace(figure.Name) ? "Say which figure of the reading it is."
        : new[] { figure.Name, figure.About, figure.Unit, figure.State, figure.Source, figure.By }.Any(w => w.Length > LongestWord)
            ? $"A word has up to {LongestWord} letters."
        : figure.Moves.Length > 0 ? ProblemOfMoving(figure)
        : figure is { Least: null, Most: null } ? "Say where it lies: 60 ± 5, 50..70, under 10."
        : figure.Least > figure.Most || !double.IsFinite(figure.Least ?? 0) || !double.IsFinite(figure.Most ?? 0)
            ? "Its window ends below its beginning."
        : null;

    private static string? ProblemOfMoving(StoredFigure figure) =>
        figure.Moves.Length > LongestWindow || MovingWindow.Parse(figure.Moves) is null
            ? $"A window that moves is written like {MovingWindow.Form}: two places or more."
        : figure.About.Length == 0 ? "Say what its window moves with: the channel's name."
        : ReadingRegistry.Find(figure.Kind)!.Options.All(o => o.KnownOver is null)
            ? $"{ReadingRegistry.Find(figure.Kind)!.Title} knows no window that moves."
        : null;

    /// <summary>The windows of an engine that move with another value, for a reading in a state.</summary>
    public static IEnumerable<StoredFigure> Moving(MascheraDb db, int engine, string kind, string? state) =>
        db
            .Figures.AsNoTracking()
            .Where(f => f.EngineId == engine && f.DeletedAt == null && f.Kind == kind && f.Moves != "")
            .AsEnumerable()
            .Where(f => IsFor(f, f.Name, state));

    /// <summary>
    /// Keeps an engine's figures, each in the place of one for the same question and state; of two for one question the later. All
    /// or none.
    /// </summary>
    public void Keep(int engine, params IReadOnlyList<StoredFigure> figures)
    {
        var standing = Of(engine).AsEnumerable().ToLookup(KeyOf);
        foreach (var figure in figures.GroupBy(KeyOf).Select(g => g.Last()))
        {
            foreach (var same in standing[KeyOf(figure)])
                same.DeletedAt = DateTime.UtcNow;
            figure.AddedAt = DateTime.UtcNow;
            db.Figures.Add(figure);
        }

        // One save is one transaction.
        db.SaveChanges();
    }

    /// <summary>
    /// Makes figures of an engine's known-good captures: the median of each figure over the captures of a state, and as its window
    /// twice the larger of what they differ by and of what each scatters. A figure typed by hand stays.
    /// </summary>
    /// <returns>How many were made.</returns>
    public int MakeOfShelf(int engine, string by, CancellationToken cancel)
    {
        var captures = db
            .Captures.AsNoTracking()
            .Include(c => c.Readings)
            .Where(c => c.ShelvedAt != null && c.DeletedAt == null && c.Job!.EngineId == engine)
            .ToList();
        foreach (var capture in captures.Where(c => c.Readings.Count == 0))
            readings.MakeSuggested(capture.Id, cancel);
        var ids = captures.ToDictionary(c => c.Id, c => c.Conditions.State ?? "");
        var results = db.Readings.AsNoTracking().Where(r => ids.Keys.Contains(r.CaptureId)).AsEnumerable();
        var measured =
            from reading in results
            let result = reading.Result
            where result is { IsUnusable: false }
            from figure in result.Compared
            where figure.Value is not null
            select (Reading: reading, About: AboutOf(result), Figure: figure, State: ids[reading.CaptureId]);
        var typed = Of(engine).Where(f => f.Captures == 0).AsEnumerable().Select(KeyOf).ToHashSet();
        var made = measured
            .GroupBy(m => (m.Reading.Kind, m.About, m.Figure.Name, m.Figure.Unit, m.State))
            .Select(g => MadeOf(engine, g.Key, [.. g.GroupBy(m => m.Reading.CaptureId).Select(c => c.MaxBy(m => m.Reading.Id).Figure)], by))
            .OfType<StoredFigure>()
            .Where(f => !typed.Contains(KeyOf(f)))
            .ToList();
        Keep(engine, made);
        return made.Count;
    }

    private static StoredFigure? MadeOf(
        int engine,
        (string Kind, string About, string Name, string Unit, string State) key,
        List<KeyFigure> figures,
        string by
    )
    {
        double[] values = [.. figures.Select(f => f.Value!.Value)];
        var own = figures.Select(f => f.Spread ?? 0).Average();
        var spread = Math.Max(own, values.Length > 1 ? Statistics.StandardDeviation(values) : 0);
        if (spread <= 0)
            return null;
        var middle = Statistics.Median(values);
        return new StoredFigure
        {
            EngineId = engine,
            Kind = key.Kind,
            About = key.About,
            Name = key.Name,
            Unit = key.Unit,
            State = key.State,
            // A share is never below nothing.
            Least = key.Unit == "%" && middle < Reach * spread ? null : Statistics.Rounded(middle - Reach * spread),
            Most = Statistics.Rounded(middle + Reach * spread),
            Captures = values.Length,
            Source = $"{values.Length} known-good capture{(values.Length == 1 ? "" : "s")}",
            By = by,
        };
    }

    /// <summary>An engine's figures as a file of open JSON.</summary>
    public byte[] Export(int engine) =>
        JsonSerializer.SerializeToUtf8Bytes(new FigureFile([.. Of(engine).AsNoTracking().AsEnumerable().Select(FigureLine.Of)]), s_json);

    /// <summary>Takes a file's figures for an engine; all of them or none.</summary>
    /// <exception cref="ReadingException">It is no such file, or a figure in it is wrong; which one and why is said.</exception>
    public int Import(int engine, Stream file)
    {
        FigureFile? read;
        try
        {
            read = JsonSerializer.Deserialize<FigureFile>(file, s_json);
        }
        catch (JsonException error)
        {
            throw new ReadingException(
                $"This is no file of figures: line {error.LineNumber + 1}, position {error.BytePositionInLine + 1}."
            );
        }

        if (read?.Figures is not { Count: > 0 and <= MostInFile } lines)
            throw new ReadingException($"A file of figures holds a list 'figures' of 1 to {MostInFile}.");
        var rows = lines.Select(l => l?.For(engine)).ToList();
        for (var i = 0; i < rows.Count; i++)
            if ((rows[i] is { } row ? Problem(row) : "It is empty.") is { } problem)
                throw new ReadingException($"Figure {i + 1}: {problem} Nothing was taken.");
        Keep(engine, [.. rows.OfType<StoredFigure>()]);
        return rows.Count;
    }

    /// <summary>What a result is about: the channels that tell it from others of its kind, and what was asked.</summary>
    public static string AboutOf(ReadingResult result) =>
        string.Join(
            ", ",
            new[] { ReadingRegistry.Find(result.Reading)?.Identity(result.Channels) ?? "", result.About }.Where(a => a.Length > 0)
        );

    /// <summary>True where a figure is of that name and holds in that state.</summary>
    internal static bool IsFor(StoredFigure row, string name, string? state) =>
        Same(row.Name, name) && (row.State.Length == 0 || Same(row.State, state ?? ""));

    /// <summary>Where it comes from, in few words.</summary>
    internal static string SourceOf(StoredFigure row) =>
        string.Join(", ", new[] { row.Source, row.By }.Where(w => w.Length > 0)) is { Length: > 0 } said ? said : "typed";

    /// <summary>A figure's window in another unit; null where that measures something else.</summary>
    internal static FigureWindow? WindowOf(StoredFigure row, string unit)
    {
        var window = new FigureWindow(row.Least, row.Most);
        if (Same(row.Unit, unit))
            return window;
        var choice = UnitConversion.For(row.Unit).FirstOrDefault(u => Same(u.Unit, unit));
        return choice.Unit is null ? null : window.In(choice);
    }

    internal static bool Same(string a, string b) => string.Equals(a.Trim(), b.Trim(), StringComparison.OrdinalIgnoreCase);

    private static (string, string, string, string) KeyOf(StoredFigure f) =>
        (f.Kind, f.About.ToLowerInvariant(), f.Name.ToLowerInvariant(), f.State.ToLowerInvariant());

    private static readonly JsonSerializerOptions s_json = new(JsonSerializerDefaults.Web) { WriteIndented = true };

    /// <summary>The file: docs/files.md has the same.</summary>
    private sealed record FigureFile(IReadOnlyList<FigureLine?> Figures);

    private sealed record FigureLine(
        string? Reading,
        string? About,
        string? Name,
        string? Unit,
        string? State,
        double? Least,
        double? Most,
        string? Moves,
        int Captures,
        string? Source,
        string? By
    )
    {
        public static FigureLine Of(StoredFigure f) =>
            new(f.Kind, f.About, f.Name, f.Unit, f.State, f.Least, f.Most, f.Moves.Length > 0 ? f.Moves : null, f.Captures, f.Source, f.By);

        public StoredFigure For(int engine) =>
            new()
            {
                EngineId = engine,
                Kind = Reading ?? "",
                About = About ?? "",
                Name = Name ?? "",
                Unit = Unit ?? "",
                State = State ?? "",
                Least = Least,
                Most = Most,
                Moves = Moves ?? "",
                Captures = Math.Max(0, Captures),
                Source = Source ?? "",
                By = By ?? "",
            };
    }
}
