using Maschera.App;
using Maschera.Core.Basics;
using Maschera.Core.Engines;
using Maschera.Core.Expressions;
using Maschera.Core.Quantities;
using Maschera.Core.Readings;
using Maschera.Core.Signals;
using Maschera.Core.Timing;
using Maschera.Store;
using Maschera.Web.Readings;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web.Pages.Bench;

/// <summary>The bench: a capture's lanes, and what was read from it. Each fragment loads only what it shows.</summary>
public sealed class CaptureModel(MascheraDb db, SampleStore samples, ReadingService readings, ClockService clocks) : PageModel
{
    [BindProperty(SupportsGet = true)]
    public int Id { get; set; }

    [BindProperty(SupportsGet = true)]
    public string Kind { get; set; } = "";

    public StoredCapture Capture { get; private set; } = null!;
    public Engine Engine { get; private set; } = null!;
    public IReadOnlyList<ReadingView> Readings { get; private set; } = [];
    public string? Problem { get; private set; }
    public string? ShelfProblem { get; private set; }
    public string? ConditionsProblem { get; private set; }

    private List<StoredFigure>? _known;

    /// <summary>A reading's figures beside those known to be good on this engine.</summary>
    public IReadOnlyList<FigureBeside> Beside(ReadingView view) =>
        KnownFigures.Beside(
            view.Result,
            Capture.Conditions.State,
            _known ??= [.. db.Figures.AsNoTracking().Where(f => f.EngineId == Capture.Job!.EngineId && f.DeletedAt == null)]
        );

    /// <summary>What the canvas draws.</summary>
    public BenchScene Scene { get; private set; } = null!;

    /// <summary>Readings that channels can be made of.</summary>
    public static IEnumerable<IReading> Offered => ReadingRegistry.All.Where(r => r is { ReadsMessages: false, ReadsSheet: false });

    /// <summary>Those for whose main roles this capture has a channel, the ones that offer themselves first; then the rest.</summary>
    public OfferedReadings Proposed => _proposed ??= Propose();

    private OfferedReadings? _proposed;

    private OfferedReadings Propose()
    {
        var guessed = Capture.OwnChannels.Select(c => c.Role ?? RoleGuess.Of(c.Name, c.Unit)).ToHashSet();
        var ranked = Offered
            .Select(r =>
                (
                    Reading: r,
                    Suits: r.Suggest(Capture.Facts).Any() ? 2
                    : r.Roles.Any(x => guessed.Contains(x.Name)) ? 1
                    : 0
                )
            )
            .ToList();
        return new(
            [.. ranked.Where(r => r.Suits > 0).OrderByDescending(r => r.Suits).Select(r => r.Reading)],
            [.. ranked.Where(r => r.Suits == 0).Select(r => r.Reading)]
        );
    }

    /// <summary>The reading the form is of.</summary>
    public IReading Reading => ReadingRegistry.Find(Kind) ?? (Proposed.Fitting is [var first, ..] ? first : Offered.First());

    /// <summary>Captures offered as known-good: those of the same engine first.</summary>
    public IReadOnlyList<StoredCapture> Others { get; private set; } = [];

    /// <summary>How many of them lie on the shelf for this engine and hold the signals the reading compares.</summary>
    public int ShelfForEngine =>
        Others.Count(c => c.ShelvedAt is not null && c.Job!.EngineId == Capture.Job!.EngineId && c.Holds(Reading.ReferenceRoles));

    /// <summary>Pairs of desired and actual that the names propose.</summary>
    public IReadOnlyList<QuantityPair> Pairs => QuantityPairs.Find([.. Capture.OwnChannels.Select(c => c.Name)]);

    /// <summary>An expression that works on this capture, to show the notation.</summary>
    public string ExampleExpression => $"lowpass({Expression.Written(Capture.OwnChannels.FirstOrDefault()?.Name ?? "Current")}, 50)";

    public string LanesInWords =>
        "Waveforms: " + string.Join(", ", Capture.OwnChannels.Select(c => $"{c.Name} in {(c.Unit.Length > 0 ? c.Unit : "full scale")}"));

    /// <summary>The channel that stands for a role: as told at the import, or as a pair of names tells.</summary>
    public string? Chosen(string role) =>
        Capture.Channels.FirstOrDefault(c => c.Role == role)?.Name
        ?? (
            Pairs is [var pair, ..]
                ? role switch
                {
                    "desired" => pair.Desired,
                    "actual" => pair.Actual,
                    _ => null,
                }
                : null
        );

    public async Task<IActionResult> OnGetAsync()
    {
        if (!await LoadAsync())
            return NotFound();
        return Capture is { Exchange: null, SheetJson: null } ? await ShowAsync() : Redirect(Capture.Address);
    }

    public async Task<IActionResult> OnGetRolesAsync()
    {
        if (!await LoadAsync() || ReadingRegistry.Find(Kind) is null)
            return NotFound();
        await LoadOthersAsync();
        return Partial("_Roles", this);
    }

    /// <summary>One channel of a log against two others, in the stretch in view.</summary>
    public async Task<IActionResult> OnGetAgainstAsync(int value, int across, int down, double from, double to)
    {
        if (!await LoadAsync())
            return NotFound();
        Channel? Loaded(int id) =>
            Capture.OwnChannels.FirstOrDefault(c => c.Id == id) is { } row ? samples.Log(row, 1 / StoredCapture.LogStep) : null;
        return Loaded(value) is { } v && Loaded(across) is { } x && Loaded(down) is { } y && to > from
            ? Partial("_Against", (v, x, y, from, to))
            : NotFound();
    }

    /// <summary>Makes a reading.</summary>
    public async Task<IActionResult> OnPostAsync(
        Dictionary<string, string> roles,
        int? reference,
        Dictionary<string, string?> options,
        Dictionary<string, string?> supplies,
        CancellationToken cancel
    )
    {
        if (!await LoadAsync() || ReadingRegistry.Find(Kind) is not { ReadsMessages: false, ReadsSheet: false } reading)
            return NotFound();
        // A form without roles binds its other fields to them.
        roles = roles.Where(r => reading.Roles.Any(known => known.Name == r.Key) && !string.IsNullOrEmpty(r.Value)).ToDictionary();
        try
        {
            await RememberAsync(reading, options, supplies);
            readings.Make(
                new ReadingAsked(Id, Kind)
                {
                    Roles = roles,
                    Reference = reference,
                    Options = options,
                },
                cancel
            );
        }
        catch (ReadingException error)
        {
            Problem = error.Message;
            return await ShowAsync();
        }

        return Redirect($"/bench/{Id}?kind={Kind}");
    }

    /// <summary>Makes a reading again from other channels; the new answer takes the place of the old one.</summary>
    public async Task<IActionResult> OnPostAgainAsync(
        int reading,
        Dictionary<string, string> roles,
        int? reference,
        CancellationToken cancel
    )
    {
        if (!await LoadAsync() || Readings.FirstOrDefault(r => r.Reading.Id == reading) is not { } before)
            return NotFound();
        try
        {
            readings.Make(
                new ReadingAsked(Id, before.Kind.Kind)
                {
                    Roles = roles.Where(r => before.Kind.Roles.Any(known => known.Name == r.Key) && r.Value.Length > 0).ToDictionary(),
                    Reference = reference,
                    Replaces = reading,
                },
                cancel
            );
        }
        catch (ReadingException error)
        {
            TempData["Said"] = error.Message;
        }

        return Redirect($"/bench/{Id}");
    }

    /// <summary>Keeps what channels of certain names carry, for every log, and looks at this one again.</summary>
    public async Task<IActionResult> OnPostQuantitiesAsync(Dictionary<string, string?> quantities)
    {
        if (!await LoadAsync())
            return NotFound();
        await Corrections.KeepAsync(db, Capture, quantities);
        foreach (var reading in ReadingRegistry.All.Where(r => r.TakesSupplies))
            readings.Make(new ReadingAsked(Id, reading.Kind));
        return Redirect($"/bench/{Id}");
    }

    /// <summary>Corrects under which conditions the capture was taken, and makes its readings again.</summary>
    public async Task<IActionResult> OnPostConditionsAsync(string? state, string? coolant, string? disabled, string? remark)
    {
        if (await db.Captures.FirstOrDefaultAsync(c => c.Id == Id && c.DeletedAt == null) is not { } capture || !await LoadAsync())
            return NotFound();
        var celsius = TypedNumber.Parse(coolant);
        if (celsius is null && !string.IsNullOrWhiteSpace(coolant))
        {
            ConditionsProblem = $"'{coolant}' is no temperature: write it like 88.";
            return await ShowAsync();
        }

        capture.Conditions = capture.Conditions with
        {
            State = Trimmed(state),
            CoolantCelsius = celsius,
            Disabled = Trimmed(disabled),
            Remark = Trimmed(remark),
        };
        await db.SaveChangesAsync();
        TempData["Said"] = readings.MakeAgain(Id) is { Count: > 0 } problems
            ? problems[0]
            : "The conditions are saved, the readings made again.";
        return Redirect($"/bench/{Id}");
    }

    /// <summary>Puts the capture on the shelf, or takes it off.</summary>
    public async Task<IActionResult> OnPostShelfAsync(string? reason, string? by)
    {
        if (await db.Captures.FirstOrDefaultAsync(c => c.Id == Id && c.DeletedAt == null) is not { } capture || !await LoadAsync())
            return NotFound();
        if (capture.ShelvedAt is null && string.IsNullOrWhiteSpace(reason))
        {
            ShelfProblem = "Say why it counts as good: what was checked, by which means.";
            return await ShowAsync();
        }

        var shelved = capture.ShelvedAt is null;
        capture.ShelvedAt = shelved ? DateTime.UtcNow : null;
        capture.ShelfReason = shelved ? reason!.Trim() : null;
        capture.ShelfBy = shelved ? by?.Trim() : null;
        await db.SaveChangesAsync();
        return Redirect(shelved ? "/shelf" : $"/bench/{Id}");
    }

    /// <summary>Keeps in the engine file where a reading of this capture puts firing TDC.</summary>
    public async Task<IActionResult> OnPostGapAsync()
    {
        if (!await LoadAsync() || Readings.Select(r => r.Result.FoundGapToTdc).FirstOrDefault(g => g is not null) is not { } gap)
            return NotFound();
        var stored = await db.Engines.FirstAsync(e => e.Id == Capture.Job!.EngineId);
        if (Engine.CrankWheel is not { } wheel)
            return NotFound();
        stored.Take(Engine with { CrankWheel = wheel with { GapToTdc = Math.Round(gap, 1) } });
        await db.SaveChangesAsync();
        TempData["Said"] = $"{Engine.Name}: firing TDC now {gap:0.0}° after the first tooth behind the gap.";
        return Redirect($"/bench/{Id}");
    }

    /// <summary>Keeps with the capture what the form says of it for every reading: the sync, and what is fed from a supply.</summary>
    private async Task RememberAsync(IReading reading, Dictionary<string, string?> options, Dictionary<string, string?> supplies)
    {
        foreach (var option in reading.Options)
            if (options.GetValueOrDefault(option.Name)?.Trim() is { Length: > 0 } text && option.Problem(text) is { } problem)
                throw new ReadingException(problem);
        var capture = await db.Captures.FirstAsync(c => c.Id == Id);
        var told = capture.Conditions;
        capture.Conditions = told with
        {
            SyncKind = options.GetValueOrDefault(ReadingOption.SyncKind.Name) ?? told.SyncKind,
            SyncCylinder = TypedNumber.ParseWhole(options.GetValueOrDefault(ReadingOption.SyncCylinder.Name)) ?? told.SyncCylinder,
            Supplies = reading.TakesSupplies ? Volts(supplies) : told.Supplies,
        };
        await db.SaveChangesAsync();
    }

    private static string? Trimmed(string? text) => string.IsNullOrWhiteSpace(text) ? null : text.Trim();

    private static Dictionary<string, double> Volts(Dictionary<string, string?> supplies)
    {
        var kept = new Dictionary<string, double>();
        foreach (var (name, text) in supplies.Where(s => !string.IsNullOrWhiteSpace(s.Value)))
            kept[name] = TypedNumber.Parse(text) is { } volts and > 0
                ? volts
                : throw new ReadingException($"'{text}' is no supply voltage of {name}.");
        return kept;
    }

    private async Task<bool> LoadAsync()
    {
        if (await BenchScene.CaptureAsync(db, Id) is not { } capture)
            return false;
        Capture = capture;
        Engine = capture.Job!.Engine!.ToEngine();
        // What stands out first, then the latest.
        Readings =
        [
            .. capture
                .Readings.OrderByDescending(r => r.Id)
                .Select(r => ReadingView.Of(r, Engine))
                .OfType<ReadingView>()
                .OrderByDescending(r =>
                    r.Verdict.Tone == Tone.Fault ? 2
                    : r.Verdict.Tone == Tone.Watch ? 1
                    : 0
                ),
        ];
        return true;
    }

    /// <summary>The form's part: the captures to compare with.</summary>
    private async Task LoadOthersAsync()
    {
        var others = await BenchScene.OthersAsync(db, Capture);
        Others =
        [
            .. others.OrderByDescending(c => c.Job!.EngineId == Capture.Job!.EngineId).ThenByDescending(c => c.ShelvedAt is not null),
        ];
    }

    /// <summary>The whole page: the form's part, and the scene with every caliper measured.</summary>
    private async Task<PageResult> ShowAsync()
    {
        await LoadOthersAsync();
        Scene = BenchScene.Of(Capture, Others, samples, clocks);
        return Page();
    }
}

/// <summary>Readings for a capture: those it has a channel for, and the rest.</summary>
public sealed record OfferedReadings(IReadOnlyList<IReading> Fitting, IReadOnlyList<IReading> Others);
