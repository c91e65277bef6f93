using System.Globalization;
using Maschera.App;
using Maschera.Core.Basics;
using Maschera.Core.Readings;
using Maschera.Core.Readings.Circuit;
using Maschera.Core.Vehicle;
using Maschera.Formats;
using Maschera.Instruments;
using Maschera.Rig.Wiring;
using Maschera.Store;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.Filters;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web.Pages.Sheets;

/// <summary>A circuit sheet: values typed with the meter in the other hand, every wire judged at once and drawn.</summary>
public sealed class SheetModel(MascheraDb db, SheetService sheets) : PageModel
{
    private static readonly SemaphoreSlim s_one = new(1);

    private const int MostLetters = 60;

    /// <summary>What the vehicle may do while a wire is loaded.</summary>
    public static IReadOnlyList<string> States { get; } = ["key on", "running", "cranking"];

    [BindProperty(SupportsGet = true)]
    public int Id { get; set; }

    /// <summary>The state chosen last.</summary>
    [BindProperty(SupportsGet = true)]
    public string State { get; set; } = States[0];

    /// <summary>The stand-in's fault chosen last.</summary>
    [BindProperty(SupportsGet = true)]
    public string? Fault { get; set; }

    public StoredCapture Row { get; private set; } = null!;
    public CircuitSheet Sheet { get; private set; } = CircuitSheet.Empty;
    public IReadOnlyList<SheetLine> Lines { get; private set; } = [];
    public IReadOnlyList<SheetRow> Others { get; private set; } = [];
    public CircuitResult? Result { get; private set; }
    public (string Component, PlannedMeasure Measure)? Next { get; private set; }

    /// <summary>What is wrong with the whole page's last post.</summary>
    public string? Problem { get; private set; }

    /// <summary>What is wrong with the value typed last.</summary>
    public string? Wrong { get; private set; }

    public Verdict? Verdict => Result is null ? null : ReadingRegistry.Find("circuit")!.VerdictOf(Result.Verdict);

    /// <summary>Levels of the job's calipers; read where the whole page is shown, not at every value typed.</summary>
    public IReadOnlyList<CaliperLevel> Levels() => sheets.Levels(Row.JobId);

    public bool HasStandIn => Fault is not null;

    /// <summary>The stand-in's faults to choose from: none, or one of each wire.</summary>
    public IEnumerable<(string Value, string Said)> Faults =>
        Sheet
            .Components.SelectMany(c => c.Pins.SelectMany(p => Damages(p.Terminal).Select(d => Of(c.Name, p.Terminal, d))))
            .Prepend(("", "none"));

    /// <summary>One change of a sheet after another: a sheet is kept as one piece.</summary>
    public override async Task OnPageHandlerExecutionAsync(PageHandlerExecutingContext context, PageHandlerExecutionDelegate next)
    {
        if (!HttpMethods.IsPost(Request.Method))
        {
            await next();
            return;
        }

        await s_one.WaitAsync(HttpContext.RequestAborted);
        try
        {
            await next();
        }
        finally
        {
            s_one.Release();
        }
    }

    public async Task<IActionResult> OnGetAsync()
    {
        if (!await LoadAsync())
            return NotFound();
        if (!Request.Query.ContainsKey("state") && Sheet.Rows.LastOrDefault(r => States.Contains(r.State)) is { } last)
            State = last.State;
        return Page();
    }

    public async Task<IActionResult> OnGetTableAsync() =>
        await LoadAsync()
            ? File(System.Text.Encoding.UTF8.GetBytes(CircuitSheetFile.Write(Sheet)), "text/csv", $"{Row.Name}.csv")
            : NotFound();

    /// <summary>Takes the values posted, of one field or of all; what can't be read is said and changes nothing.</summary>
    public async Task<IActionResult> OnPostValuesAsync()
    {
        if (!await LoadAsync() || !States.Contains(State))
            return NotFound();
        var sheet = Sheet;
        foreach (var (i, line) in Lines.Index())
            if (Request.Form[$"v{i}"] is [{ } typed] && typed.Trim() != Written(line.Row))
                sheet = Changed(sheet, line, typed.Trim(), Request.Form[$"w{i}"]);
        Keep(sheet);
        return Request.Headers.ContainsKey("HX-Request") ? Partial("_Judged", (this, true)) : Again();
    }

    public async Task<IActionResult> OnPostAddAsync(
        string? from,
        string? to,
        string? value,
        string? quantity,
        string? condition,
        string? component
    )
    {
        if (!await LoadAsync())
            return NotFound();
        if (string.IsNullOrWhiteSpace(from) || string.IsNullOrWhiteSpace(to) || (from + to).Length > 2 * MostLetters)
            return Refuse("Say where both leads were, for example ground and battery -.");
        if (value is null || CircuitSheetFile.ValueOf(value) is not { } number)
            return Refuse($"'{value}' is no number; write one, or OL for an open circuit.");
        if (!Enum.TryParse<SheetQuantity>(quantity, ignoreCase: true, out var known) || condition?.Length > MostLetters)
            return Refuse("A value is in V, Ω or A, and its condition takes up to 60 letters.");
        var named = Sheet.Components.Any(c => c.Name == component) ? component! : "";
        var row = new SheetRow(CircuitSheetFile.Terminal(from), CircuitSheetFile.Terminal(to), known, number, condition ?? "", 0, named);
        Keep(Sheet with { Rows = [.. Sheet.Rows, row] });
        return Problem is null ? Again() : Page();
    }

    public async Task<IActionResult> OnPostRemoveAsync(int at)
    {
        if (!await LoadAsync() || at < 0 || at >= Sheet.Rows.Count)
            return NotFound();
        Keep(Sheet with { Rows = [.. Sheet.Rows.Where((_, i) => i != at)] });
        return Again();
    }

    /// <summary>Keeps what stands on the plugs.</summary>
    public async Task<IActionResult> OnPostLabelsAsync()
    {
        if (!await LoadAsync())
            return NotFound();
        SheetPin Labelled(SheetPin pin, int c, int p) =>
            Request.Form[$"label-{c}-{p}"] is [{ Length: <= MostLetters } label] ? pin with { Label = label.Trim() } : pin;
        Keep(
            Sheet with
            {
                Components = [.. Sheet.Components.Select((c, i) => c with { Pins = [.. c.Pins.Select((p, j) => Labelled(p, i, j))] })],
            }
        );
        return Again();
    }

    /// <summary>Measures the next value with the stand-in, or all.</summary>
    public async Task<IActionResult> OnPostProbeAsync(string? fault, bool all, CancellationToken cancel)
    {
        if (!await LoadAsync() || !States.Contains(State) || FaultsOf(fault) is not { } faults)
            return NotFound();
        try
        {
            var meter = new StandInMeter(new(Sheet.Components) { Faults = faults, Seed = Sheet.Rows.Count + 1 });
            Keep(await SheetService.ProbeAsync(Sheet, meter, State, all, cancel));
            return Redirect($"/sheets/{Id}?state={Uri.EscapeDataString(State)}&fault={Uri.EscapeDataString(fault ?? "")}");
        }
        catch (MeterException error)
        {
            return Refuse(error.Message);
        }
    }

    /// <summary>What a line's value says: a style and a word; null while nothing is measured.</summary>
    public (string Style, string Word)? SaidOf(SheetLine line)
    {
        if (line.Row is null)
            return null;
        var alone = new CircuitReading().Read(
            new ReadingRequest(new Core.Signals.Capture("", [], []))
            {
                Sheet = new([line.Row with { Component = "" }, .. Sheet.Rows.Where(r => r.IsBetween("battery +", "battery -"))]),
            }
        );
        return ((CircuitResult)alone).Wires.FirstOrDefault(w => w.IsFaulty) is { } bad
                ? ("font-semibold text-fault", bad.State.Replace('-', ' '))
            : line.Measure.ForAll ? ("text-soft", "taken")
            : ("fine", "good");
    }

    /// <summary>Where a row stands among all.</summary>
    public int IndexOf(SheetRow row) => Sheet.Rows.ToList().IndexOf(row);

    /// <summary>A value as it stands in its field.</summary>
    public static string Written(SheetRow? row) =>
        row is null ? ""
        : double.IsFinite(row.Value) ? row.Value.ToString("0.######", CultureInfo.InvariantCulture)
        : "OL";

    /// <summary>Terminals to choose from: the components' own, the modules' ends, and what all share.</summary>
    public static IEnumerable<string> TerminalsOf(CircuitSheet sheet)
    {
        var own = sheet.Components.SelectMany(c => c.Pins).Select(p => p.Terminal).Distinct().ToList();
        return
        [
            .. own,
            "battery +",
            "battery -",
            "chassis",
            "module supply",
            "module ground",
            .. own.Where(t => Terminals.IsSignal(t)).Select(t => $"module {t}"),
        ];
    }

    private static IEnumerable<WireDamage> Damages(string terminal) =>
        Terminals.IsSignal(terminal) ? [WireDamage.Broken, WireDamage.Resistive, WireDamage.OnGround, WireDamage.OnSupply]
        : Terminals.IsGround(terminal) ? [WireDamage.Broken, WireDamage.Resistive]
        : [WireDamage.Broken, WireDamage.Resistive, WireDamage.OnGround];

    /// <summary>A stand-in's fault as the address of a sheet names it.</summary>
    internal static string FaultWord(WireFault fault) => $"{fault.Component}|{fault.Terminal}|{fault.Damage}";

    private static (string Value, string Said) Of(string component, string terminal, WireDamage damage) =>
        (
            FaultWord(new(component, terminal, damage)),
            $"{component}: {Terminals.Spoken(terminal)} "
                + damage switch
                {
                    WireDamage.Broken => "cut",
                    WireDamage.Resistive => "with a bad joint",
                    WireDamage.OnGround => "chafed to ground",
                    _ => "touching the supply",
                }
        );

    /// <summary>The stand-in's faults as chosen; null for one that is not offered.</summary>
    private IReadOnlyList<WireFault>? FaultsOf(string? chosen)
    {
        if (string.IsNullOrEmpty(chosen))
            return [];
        if (Faults.All(f => f.Value != chosen))
            return null;
        var parts = chosen.Split('|');
        return [new(parts[0], parts[1], Enum.Parse<WireDamage>(parts[2]))];
    }

    /// <summary>
    /// The sheet with what was typed over what stood there. What somebody else wrote since the page was opened stays; where this one
    /// was changed too, that is said.
    /// </summary>
    private CircuitSheet Changed(CircuitSheet sheet, SheetLine line, string typed, string? was)
    {
        if (was is null || was == Written(line.Row))
            return Typed(sheet, line, typed);
        if (typed != was)
            Wrong =
                $"{Terminals.Spoken(line.Measure.From)} against {Terminals.Spoken(line.Measure.To)} was measured meanwhile; "
                + $"'{typed}' was not put in its place. Write it again if it counts.";
        return sheet;
    }

    private CircuitSheet Typed(CircuitSheet sheet, SheetLine line, string typed)
    {
        if (typed.Length == 0)
            return SheetService.With(sheet, line.Component, line.Measure, null, State);
        if (CircuitSheetFile.ValueOf(typed) is { } value)
            return SheetService.With(sheet, line.Component, line.Measure, value, State);
        Wrong =
            $"'{typed}' for {Terminals.Spoken(line.Measure.From)} against {Terminals.Spoken(line.Measure.To)} is no number; "
            + "write one, or OL for an open circuit.";
        return sheet;
    }

    private void Keep(CircuitSheet sheet)
    {
        try
        {
            sheets.Keep(db.Captures.First(c => c.Id == Id), sheet);
        }
        catch (ReadingException error)
        {
            Problem = error.Message;
        }

        Show(db.Captures.AsNoTracking().Include(c => c.Job).Include(c => c.Readings).First(c => c.Id == Id));
    }

    private PageResult Refuse(string why)
    {
        Problem = why;
        return Page();
    }

    private IActionResult Again() =>
        Wrong is not null || Problem is not null
            ? Refuse(Wrong ?? Problem!)
            : Redirect($"/sheets/{Id}?state={Uri.EscapeDataString(State)}");

    private async Task<bool> LoadAsync()
    {
        var row = await db
            .Captures.AsNoTracking()
            .Include(c => c.Job)
            .Include(c => c.Readings)
            .FirstOrDefaultAsync(c => c.Id == Id && c.SheetJson != null && c.DeletedAt == null && c.Job!.DeletedAt == null);
        if (row is null)
            return false;
        Show(row);
        return true;
    }

    private void Show(StoredCapture row)
    {
        (Row, Sheet) = (row, row.Sheet!);
        (Lines, Others, Next) = (SheetService.Lines(Sheet), SheetService.Others(Sheet), SheetService.Next(Sheet));
        Result = row.Readings.LastOrDefault()?.Result as CircuitResult;
    }
}
