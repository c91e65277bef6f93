using Maschera.Core.Engines;
using Maschera.Core.Logs;
using Maschera.Core.Readings;
using Maschera.Core.Readings.CylinderPressure;
using Maschera.Core.Readings.RelativeCompression;
using Maschera.Core.Signals;
using Maschera.Store;
using Maschera.Web.Services;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web.Pages.Bench;

/// <summary>The bench: a capture's lanes, and what was read from it.</summary>
public sealed class CaptureModel(MascheraDb db, SampleStore samples, ReadingService readings, ClockService clocks) : PageModel
{
    private const int Inks = 6;

    /// <summary>Samples a second that are enough for one value a degree up to 10,000 rpm.</summary>
    private const double FoldRate = 120_000;

    /// <summary>Captures offered to be laid underneath.</summary>
    private const int MostOthers = 200;

    [BindProperty(SupportsGet = true)] public int Id { get; set; }
    [BindProperty(SupportsGet = true)] public string Kind { get; set; } = "relative-compression";

    public StoredCapture Capture { get; private set; } = null!;
    public IReadOnlyList<ReadingView> Readings { get; private set; } = [];
    public string? Problem { get; private set; }
    public string? ShelfProblem { get; private set; }

    /// <summary>What the canvas draws.</summary>
    public object ForDrawing { get; private set; } = new();

    /// <summary>How the lanes lie.</summary>
    public Arrangement Arranged { get; private set; } = new([]);

    /// <summary>An expression that works on this capture, to show the notation.</summary>
    public string ExampleExpression => $"lowpass({Core.Derived.Expression.Written(Capture.OwnChannels.First().Name)}, 50)";

    public string LanesInWords => "Waveforms: " + string.Join(", ", Capture.OwnChannels.Select(c => $"{c.Name} in {(c.Unit.Length > 0 ? c.Unit : "full scale")}"));

    public async Task<IActionResult> OnGetAsync()
    {
        if (!await LoadAsync()) return NotFound();
        return Capture.Exchange is null ? Page() : Redirect($"/exchanges/{Id}");
    }

    /// <summary>Keeps what channels of certain names carry, for every log, and looks at this one again.</summary>
    public async Task<IActionResult> OnPostQuantitiesAsync(Dictionary<string, string?> quantities)
    {
        var units = await db.Channels.Where(c => c.CaptureId == Id).GroupBy(c => c.Name).ToDictionaryAsync(g => g.Key, g => g.First().Unit);
        foreach (var (name, quantity) in quantities.Where(q => units.ContainsKey(q.Key)))
        {
            // What name and unit tell by themselves need not be kept.
            if (Quantities.Of(name, units[name])?.Name == (string.IsNullOrEmpty(quantity) ? null : quantity))
            {
                await db.Corrections.Where(c => c.Name == name).ExecuteDeleteAsync();
                continue;
            }

            var row = await db.Corrections.FirstOrDefaultAsync(c => c.Name == name) ?? db.Corrections.Add(new StoredCorrection { Name = name }).Entity;
            row.Quantity = quantity ?? "";
        }

        await db.SaveChangesAsync();
        readings.Make(Id, "plausibility");
        return Redirect($"/bench/{Id}");
    }

    public async Task<IActionResult> OnGetRolesAsync() =>
        await LoadAsync() && ReadingRegistry.Find(Kind) is not null ? Partial("_Roles", this) : NotFound();

    /// <summary>Puts the capture on the shelf, or takes it off.</summary>
    public async Task<IActionResult> OnPostShelfAsync(string? reason, string? by)
    {
        var capture = await db.Captures.FirstOrDefaultAsync(c => c.Id == Id && c.DeletedAt == null);
        if (capture is null) return NotFound();
        if (capture.ShelvedAt is null && string.IsNullOrWhiteSpace(reason))
        {
            await LoadAsync();
            ShelfProblem = "Say why it counts as good: what was checked, by which means.";
            return Page();
        }

        var shelved = capture.ShelvedAt is null;
        capture.ShelvedAt = shelved ? DateTime.UtcNow : null;
        capture.ShelfReason = shelved ? reason!.Trim() : null;
        capture.ShelfBy = shelved ? by?.Trim() : null;
        await db.SaveChangesAsync();
        return Redirect(shelved ? "/shelf" : $"/bench/{Id}");
    }

    /// <summary>Keeps in the engine file where the pressure of this capture puts firing TDC.</summary>
    public async Task<IActionResult> OnPostGapAsync()
    {
        if (!await LoadAsync() || Readings.Select(r => r.Result).OfType<CylinderPressureResult>().FirstOrDefault()?.GapToTdcDegrees is not { } gap) return NotFound();
        var stored = await db.Engines.FirstAsync(e => e.Id == Capture.Job!.EngineId);
        var engine = stored.ToEngine();
        if (engine.CrankWheel is not { } wheel) return NotFound();
        stored.Take(engine with { CrankWheel = wheel with { GapToTdc = Math.Round(gap, 1) } });
        await db.SaveChangesAsync();
        TempData["Said"] = FormattableString.Invariant($"{engine.Name}: firing TDC now {gap:0.0}° after the first tooth behind the gap.");
        return Redirect($"/bench/{Id}");
    }

    /// <summary>A channel folded on one cycle.</summary>
    public async Task<IActionResult> OnGetFoldAsync(int channel)
    {
        if (!await LoadAsync() || Capture.OwnChannels.FirstOrDefault(c => c.Id == channel) is not { } row) return NotFound();
        var found = await Task.Run(() => clocks.Of(Capture, samples));
        var engine = Capture.Job!.Engine!.ToEngine();
        var fold = found.Clock is { } clock ? CycleFold.Of(samples.Reader(row).LoadAtMost(FoldRate), clock, found.Tdc ?? 0) : null;
        IReadOnlyList<(int, double)> firing = found.Tdc is null ? [] : [.. engine.FiringOrder.Zip(engine.Angles())];
        return Partial("_Fold", (row, fold, firing, found.Clock is null ? found.Notes[0].Text : null));
    }

    /// <summary>One channel of a log against two others, in the stretch in view.</summary>
    public async Task<IActionResult> OnGetAgainstAsync(int value, int across, int down, double from, double to)
    {
        if (!await LoadAsync()) return NotFound();
        Channel? Loaded(int id) => Capture.OwnChannels.FirstOrDefault(c => c.Id == id) is { } row ? samples.Log(row, 1 / StoredCapture.LogStep) : null;
        return Loaded(value) is { } v && Loaded(across) is { } x && Loaded(down) is { } y && to > from ? Partial("_Against", (v, x, y, from, to)) : NotFound();
    }

    public async Task<IActionResult> OnPostAsync(Dictionary<string, string> roles, string? syncKind, string? syncCylinder, int? reference, Dictionary<string, string?> options, Dictionary<string, string?> supplies, CancellationToken cancel)
    {
        if (!await LoadAsync() || ReadingRegistry.Find(Kind) is not { ReadsMessages: false } reading) return NotFound();
        // A form without roles binds its other fields to them.
        roles = roles.Where(r => reading.Roles.Any(known => known.Name == r.Key)).ToDictionary();
        try
        {
            await RememberSyncAsync(syncKind, syncCylinder);
            await RememberSuppliesAsync(supplies);
            readings.Make(Id, Kind, roles.Where(r => !string.IsNullOrEmpty(r.Value)).ToDictionary(), reference, options, cancel);
        }
        catch (ReadingException error)
        {
            Problem = error.Message;
            return Page();
        }

        return Redirect($"/bench/{Id}?kind={Kind}");
    }

    /// <summary>The channel that stands for a role: as chosen at the import, as a pair of names tells, or as the roles' words guess.</summary>
    public string? Chosen(string role) => Capture.Channels.FirstOrDefault(c => c.Role == role)?.Name
        ?? (Kind == "tracking" && Pairs is [var pair, ..] ? role switch { "desired" => pair.Desired, "actual" => pair.Actual, _ => null } : null);

    /// <summary>Pairs of desired and actual that the names propose.</summary>
    public IReadOnlyList<QuantityPair> Pairs => QuantityPairs.Find([.. Capture.OwnChannels.Select(c => c.Name)]);

    /// <summary>Readings that channels can be made of.</summary>
    public static IEnumerable<IReading> Offered => ReadingRegistry.All.Where(r => !r.ReadsMessages);

    private async Task RememberSyncAsync(string? kind, string? cylinder)
    {
        if (string.IsNullOrEmpty(kind)) return;
        if (!int.TryParse(cylinder, out var number)) throw new ReadingException($"'{cylinder}' is not a cylinder's number.");
        var capture = await db.Captures.FirstAsync(c => c.Id == Id);
        capture.Conditions = capture.Conditions with { SyncKind = kind, SyncCylinder = number };
        await db.SaveChangesAsync();
    }

    private async Task RememberSuppliesAsync(Dictionary<string, string?> supplies)
    {
        if (Kind != "plausibility") return;
        var kept = new Dictionary<string, double>();
        foreach (var (name, text) in supplies.Where(s => !string.IsNullOrWhiteSpace(s.Value)))
            kept[name] = double.TryParse(text!.Replace(',', '.'), System.Globalization.CultureInfo.InvariantCulture, out var volts) && volts > 0 ? volts : throw new ReadingException($"'{text}' is no supply voltage of {name}.");
        var capture = await db.Captures.FirstAsync(c => c.Id == Id);
        capture.Conditions = capture.Conditions with { Supplies = kept };
        await db.SaveChangesAsync();
    }

    private async Task<bool> LoadAsync()
    {
        var capture = await db.Captures.AsNoTracking().AsSplitQuery().Include(c => c.Channels.OrderBy(x => x.Ordinal)).Include(c => c.Readings).Include(c => c.Job!.Engine)
            .Include(c => c.Calipers).Include(c => c.Pins)
            .FirstOrDefaultAsync(c => c.Id == Id && c.DeletedAt == null && c.Job!.DeletedAt == null);
        if (capture is null) return false;
        Capture = capture;
        var engine = capture.Job!.Engine!.ToEngine();
        Readings = [.. capture.Readings.OrderByDescending(r => r.Id).Select(r => ReadingView.Of(r, engine)).OfType<ReadingView>()];
        ForDrawing = Drawn(await OthersAsync());
        return true;
    }

    /// <summary>Captures offered as known-good: those of the same engine first.</summary>
    public IReadOnlyList<StoredCapture> Others { get; private set; } = [];

    /// <summary>How many of them lie on the shelf for this engine and hold the signals the reading compares.</summary>
    public int ShelfForEngine => Others.Count(c => c.ShelvedAt is not null && c.Job!.EngineId == Capture.Job!.EngineId && c.Holds(ReadingRegistry.Find(Kind)!.ReferenceRoles));

    private async Task<object> OthersAsync()
    {
        var others = await db.Captures.AsNoTracking().Include(c => c.Job).Include(c => c.Channels).Where(c => c.Id != Id && c.DeletedAt == null && c.Job!.DeletedAt == null)
            .OrderByDescending(c => c.JobId == Capture.JobId).ThenByDescending(c => c.Id).Take(MostOthers).ToListAsync();
        Others = [.. others.OrderByDescending(c => c.Job!.EngineId == Capture.Job!.EngineId).ThenByDescending(c => c.ShelvedAt is not null)];
        return others.Select(c => new { id = c.Id, name = c.Name, job = c.Job!.Vehicle, channels = c.OwnChannels.Select(x => new { id = x.Id, name = x.Name, unit = x.Unit }) });
    }

    private object Drawn(object others)
    {
        var compression = Readings.Select(r => r.Result).OfType<RelativeCompressionResult>().FirstOrDefault();
        var loadName = compression?.Channels.GetValueOrDefault(compression.LoadRole ?? "");
        var desired = Pairs.Select(p => p.Desired).ToHashSet();
        Arranged = Arrangement.Of(Capture);
        var clock = Capture.Calipers.Count > 0 ? clocks.Of(Capture, samples) : null;
        var units = Arranged.Lanes.SelectMany(lane => lane.Channels).ToDictionary(c => c.Channel, c => c.Unit);
        return new
        {
            id = Capture.Id,
            from = Capture.OwnChannels.Select(c => c.Start).DefaultIfEmpty(0).Min(),
            to = Capture.OwnChannels.Select(c => c.End).DefaultIfEmpty(1).Max(),
            channels = Capture.OwnChannels.Select((c, i) => new { id = c.Id, name = c.Name, unit = c.Unit, units = UnitConversion.For(c.Unit), ink = i % Inks, expression = c.Expression, load = c.Name == loadName, desired = desired.Contains(c.Name) }),
            arrangement = Arranged,
            humps = compression?.Humps.Select(h => new { h.From, h.To, h.Position, h.Cylinder, low = compression.Low.Any(l => l.Position == h.Position) }) ?? [],
            calipers = Capture.Calipers.Select(c => BenchMeasure.Show(c, Capture.Channels.First(x => x.Id == c.ChannelId), units.GetValueOrDefault(c.ChannelId), samples, clock)),
            pins = Capture.Pins.OrderBy(p => p.At).Select(p => new PinShown(p.Id, p.At, p.Remark)),
            others,
        };
    }
}
