using System.Globalization;
using Maschera.App;
using Maschera.Core.Basics;
using Maschera.Core.Expressions;
using Maschera.Core.Readings;
using Maschera.Formats;
using Maschera.Store;
using Maschera.Web.Drawing;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.Filters;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.AspNetCore.Mvc.Rendering;

namespace Maschera.Web.Pages.Captures;

/// <summary>A file on its way in: what was understood, corrections, then progress.</summary>
public sealed class PreviewModel(ImportService imports) : PageModel
{
    /// <summary>Probes and clamps: what a value in the file is multiplied by.</summary>
    private static readonly (string Label, double Scale)[] s_probes =
    [
        ("as in the file", 1),
        ("attenuator 10:1", 10),
        ("attenuator 20:1", 20),
        ("clamp 1 mV/A, file in V", 1000),
        ("clamp 10 mV/A, file in V", 100),
        ("clamp 100 mV/A, file in V", 10),
        ("clamp 1 mV/A, file in mV", 1),
        ("clamp 10 mV/A, file in mV", 0.1),
        ("transducer 0–5 V for 0–20 bar", 4),
        ("transducer 0–5 V for 0–35 bar", 7),
        ("turned round", -1),
    ];

    /// <summary>One channel as the form holds it.</summary>
    public sealed class ChannelFields
    {
        public bool Keep { get; set; } = true;
        public string Name { get; set; } = "";
        public string? Unit { get; set; }
        public string? Role { get; set; }
        public string Probe { get; set; } = "0";
    }

    /// <summary>The conditions as the form holds them.</summary>
    public sealed class ConditionFields
    {
        public string? Name { get; set; }
        public string? State { get; set; }
        public string? Coolant { get; set; }
        public string? Disabled { get; set; }
        public string? Remark { get; set; }
        public string? SyncKind { get; set; }
        public string? SyncCylinder { get; set; }
    }

    [BindProperty(SupportsGet = true)]
    public string Token { get; set; } = "";

    [BindProperty]
    public List<ChannelFields> Channels { get; set; } = [];

    [BindProperty]
    public ConditionFields Form { get; set; } = new();

    public IncomingFile Incoming { get; private set; } = null!;
    public FileOverview Overview { get; private set; } = null!;
    public ImportRun? Run { get; private set; }

    /// <summary>How far the import was when the page was asked for: it may be over before the page is written.</summary>
    public ImportState State { get; private set; }

    public IReadOnlyList<Note> Notes => Overview.Csv?.Notes ?? Overview.Notes;

    public IEnumerable<SelectListItem> Probes =>
        s_probes.Select((p, i) => new SelectListItem(p.Label, i.ToString(CultureInfo.InvariantCulture)));

    public IEnumerable<SelectListItem> Roles =>
        [
            new SelectListItem("nothing in particular", ""),
            .. ReadingRegistry.All.SelectMany(r => r.Roles).DistinctBy(r => r.Name).Select(r => new SelectListItem(r.Label, r.Name)),
        ];

    public IEnumerable<(string Name, string Value)> Facts
    {
        get
        {
            yield return ("Format", Overview.Kind);
            if (Overview.Rate is { } rate)
                yield return ("Rate", Say.Number(rate, 0) + " Hz");
            if (Overview.Csv is not { } csv)
                yield break;
            yield return ("Text", csv.Encoding);
            yield return (
                "Between cells",
                csv.Delimiter switch
                {
                    '\t' => "tab",
                    ';' => "semicolon",
                    _ => "comma",
                }
            );
            yield return ("Decimal", csv.DecimalPoint == ',' ? "comma" : "point");
            yield return ("Names in line", csv.HeaderLine?.ToString(CultureInfo.InvariantCulture) ?? "none");
            yield return ("Rows from line", csv.FirstDataLine.ToString(CultureInfo.InvariantCulture));
            var time = csv.Columns.FirstOrDefault(c => c.Use is ColumnUse.Time or ColumnUse.Clock);
            if (FirstInterval(csv) is { } step)
                yield return ("Rate, about", Say.Number(1 / step, 0) + " Hz");
            if (time is not null)
                yield return (
                    "Time",
                    time.Use == ColumnUse.Clock ? $"{time.Name}, time of day" : $"{time.Name}, {(time.Unit.Length > 0 ? time.Unit : "s")}"
                );
        }
    }

    /// <summary>Seconds between the first two rows; null without a plain time column.</summary>
    private static double? FirstInterval(CsvLayout csv)
    {
        var column = csv.Columns.ToList().FindIndex(c => c.Use == ColumnUse.Time);
        if (column < 0 || csv.FirstRows.Count < 2)
            return null;
        double? Time(int row) => TypedNumber.Parse(csv.FirstRows[row][column]);
        var step = (Time(1) - Time(0)) * (Units.Seconds(csv.Columns[column].Unit) ?? 1);
        return step > 0 ? step : null;
    }

    /// <summary>The first values of a channel as written.</summary>
    public string FirstValues(int channel)
    {
        if (Overview.Csv is not { } csv)
            return "";
        var column = csv.Columns.Select((c, i) => (c, i)).Where(x => x.c.Use == ColumnUse.Channel).ElementAt(channel).i;
        return string.Join("  ", csv.FirstRows.Take(3).Select(r => column < r.Length ? r[column] : ""));
    }

    public override void OnPageHandlerExecuting(PageHandlerExecutingContext context)
    {
        Run = imports.Run(Token);
        State = Run?.State ?? ImportState.Running;
        // Once an import runs, its file may go at any moment and is not looked at again.
        if ((Run?.File ?? imports.Find(Token)) is not { } file)
        {
            context.Result = NotFound();
            return;
        }

        Incoming = file;
        if (Run is null)
            Overview = imports.Inspect(file);
    }

    public IActionResult OnGet() => Run is null ? ShowPreview() : ShowRun();

    public IActionResult OnGetProgress() => ShowRun();

    /// <summary>The course of every column, each into its place on the page.</summary>
    public async Task<IActionResult> OnGetTracesAsync(CancellationToken cancel) =>
        Run is not null ? NotFound() : Partial("_Traces", await Task.Run(() => imports.Draw(Incoming, cancel), cancel));

    public IActionResult OnPost()
    {
        if (Run is not null)
            return Redirect($"/imports/{Token}");
        var coolant = Number("Form.Coolant", Form.Coolant);
        var cylinder = Number("Form.SyncCylinder", Form.SyncCylinder);
        if (Channels.Count != Overview.Channels.Count)
            return BadRequest();
        if (!Channels.Any(c => c.Keep))
            ModelState.AddModelError("", "Keep at least one channel, or leave the file.");
        if (!ModelState.IsValid)
            return Page();
        var capture = new StoredCapture
        {
            JobId = Incoming.JobId,
            Name = string.IsNullOrWhiteSpace(Form.Name) ? Path.GetFileNameWithoutExtension(Incoming.FileName) : Form.Name.Trim(),
            TakenAt = DateTime.UtcNow,
            Conditions = new Conditions(
                Blank(Form.State),
                coolant,
                Blank(Form.Disabled),
                Blank(Form.Remark),
                Blank(Form.SyncKind),
                (int?)cylinder
            ),
        };
        imports.Start(
            Incoming,
            capture,
            [.. Channels.Select(c => new ChannelChoice(c.Name.Trim(), c.Unit?.Trim() ?? "", Scale(c.Probe), Blank(c.Role), c.Keep))]
        );
        return Redirect($"/imports/{Token}");
    }

    public IActionResult OnPostCancel()
    {
        imports.Stop(Token);
        return Redirect($"/imports/{Token}");
    }

    public IActionResult OnPostLeave()
    {
        var job = Incoming.JobId;
        imports.Forget(Token);
        return Redirect($"/jobs/{job}#captures");
    }

    private PageResult ShowPreview()
    {
        var roles = Overview.Roles();
        var told = IntakeGuess.Conditions(Overview, roles);
        Channels =
        [
            .. Overview.Channels.Select(
                (c, i) =>
                    new ChannelFields
                    {
                        Name = c.Name,
                        Unit = c.Unit,
                        Role = roles[i],
                    }
            ),
        ];
        Form = new ConditionFields
        {
            Name = Overview.Bundle?.Name ?? Path.GetFileNameWithoutExtension(Incoming.FileName),
            State = told.State,
            Coolant = told.CoolantCelsius?.ToString(CultureInfo.InvariantCulture),
            Disabled = told.Disabled,
            Remark = told.Remark,
            SyncKind = told.SyncKind,
            SyncCylinder = told.SyncCylinder?.ToString(CultureInfo.InvariantCulture),
        };
        return Page();
    }

    private IActionResult ShowRun()
    {
        if (State != ImportState.Done || Run!.CaptureId is not { } capture)
            return Page();
        if (!Request.Headers.ContainsKey("HX-Request"))
            return Redirect($"/bench/{capture}");
        Response.Headers["HX-Redirect"] = $"/bench/{capture}";
        return new EmptyResult();
    }

    private double? Number(string field, string? text)
    {
        if (string.IsNullOrWhiteSpace(text))
            return null;
        if (TypedNumber.Parse(text) is { } number)
            return number;
        ModelState.AddModelError(field, $"“{text}” can't be read as a number: write it like 12.5.");
        return null;
    }

    private static double Scale(string probe) =>
        int.TryParse(probe, CultureInfo.InvariantCulture, out var i) && i >= 0 && i < s_probes.Length ? s_probes[i].Scale : 1;

    private static string? Blank(string? text) => string.IsNullOrWhiteSpace(text) ? null : text.Trim();
}
