using System.Globalization;
using System.Net;
using System.Text;
using Maschera.Core.Signals;
using Maschera.Store;
using Maschera.Web.Services;

namespace Maschera.Web.Drawing;

/// <summary>A view of the bench as an SVG that stands alone: names, units, scales and conditions are on it.</summary>
public static class BenchPicture
{
    private const int Width = 1200, Left = 84, Right = 20, Top = 74, LaneGap = 30, Foot = 44, UsualHeight = 150;
    private const string Ink = "#23201A", Soft = "#6B6353", Grid = "#DCCFB0", Paper = "#F6F1E4";
    private static readonly string[] s_inks = ["#6B2D5C", "#0F5C66", "#A56A00", "#56702A", "#9C3D22", "#45526B"];

    /// <summary>Draws the lanes that are not put aside, between two times in s.</summary>
    public static string Draw(StoredCapture capture, Arrangement arrangement, SampleStore samples, double from, double to)
    {
        var lanes = arrangement.Lanes.Select(lane => lane with { Channels = [.. lane.Channels.Where(c => !c.Hidden)] }).Where(lane => lane.Channels.Count > 0).ToList();
        var inks = capture.OwnChannels.Select((c, i) => (c.Id, Ink: s_inks[i % s_inks.Length])).ToDictionary(c => c.Id, c => c.Ink);
        var height = Top + lanes.Sum(lane => (lane.Height ?? UsualHeight) + LaneGap) + Foot;
        var svg = new StringBuilder();
        svg.Append(CultureInfo.InvariantCulture, $"""<svg xmlns="http://www.w3.org/2000/svg" width="{Width}" height="{height}" viewBox="0 0 {Width} {height}" font-family="Archivo, sans-serif" font-size="13" fill="{Ink}"><rect width="100%" height="100%" fill="{Paper}"/>""");
        svg.Append(CultureInfo.InvariantCulture, $"""<text x="{Left}" y="30" font-size="19" font-weight="650">{Text($"{capture.Job!.Vehicle}: {capture.Name}")}</text><text x="{Left}" y="52" fill="{Soft}">{Text($"{Say.Day(capture.TakenAt)} · {Say.Conditions(capture.Conditions)}")}</text>""");
        var y = Top;
        foreach (var lane in lanes)
        {
            var area = new Area(y + LaneGap - 8, lane.Height ?? UsualHeight, from, to);
            Lane(svg, capture, lane, inks, samples, area);
            y += area.Height + LaneGap;
        }

        Seconds(svg, y + 8, from, to);
        return svg.Append("</svg>").ToString();
    }

    private readonly record struct Area(int Top, int Height, double From, double To)
    {
        public double X(double seconds) => Left + (seconds - From) / (To - From) * (Width - Left - Right);

        public double Y(double value, double low, double high) => Top + Height - (value - low) / (high - low) * Height;
    }

    private static void Lane(StringBuilder svg, StoredCapture capture, Lane lane, Dictionary<int, string> inks, SampleStore samples, Area area)
    {
        var x = Left;
        for (var i = 0; i < lane.Channels.Count; i++)
        {
            var shown = lane.Channels[i];
            var row = capture.Channels.First(c => c.Id == shown.Channel);
            var drawn = capture.Channels.FirstOrDefault(c => c.Id == shown.Copy) ?? row;
            var unit = UnitConversion.For(row.Unit).FirstOrDefault(u => u.Unit == shown.Unit) is { Unit: not null } u ? u : new UnitChoice(row.Unit, 1, 0);
            var trace = samples.Window(drawn, area.From, area.To, Width - Left - Right);
            var values = Array.ConvertAll(trace.Values, v => (shown.Invert ? -1 : 1) * (v * unit.Factor + unit.Offset) + shown.Offset);
            var (low, high) = Scale(values, shown.Range);
            if (i == 0) Grids(svg, area, low, high);
            Trace(svg, trace.Seconds, values, area, low, high, inks[row.Id]);
            var name = $"{row.Name}, {(unit.Unit.Length > 0 ? unit.Unit : "share of full scale")}{Changed(shown)}{(i > 0 ? $" ({Figures.Digits(low)} to {Figures.Digits(high)})" : "")}";
            svg.Append(CultureInfo.InvariantCulture, $"""<rect x="{x}" y="{area.Top - 14}" width="18" height="3" fill="{inks[row.Id]}"/><text x="{x + 24}" y="{area.Top - 8}">{Text(name)}</text>""");
            x += 50 + 7 * name.Length;
        }
    }

    private static string Changed(LaneChannel shown)
    {
        var changes = new[]
        {
            shown.Invert ? "inverted" : null, shown.Offset != 0 ? $"moved by {Figures.Digits(shown.Offset)}" : null, shown.Standing ? "standing part removed" : null,
            shown.Smooth == "lowpass" ? $"low-pass {Figures.Digits(shown.SmoothBy)} Hz" : shown.Smooth == "median" ? $"median of {Figures.Digits(shown.SmoothBy)}" : null,
        };
        return string.Concat(changes.Where(c => c is not null).Select(c => ", " + c));
    }

    private static (double Low, double High) Scale(double[] values, double[]? kept)
    {
        if (kept is not null) return (kept[0], kept[1]);
        var finite = values.Where(double.IsFinite).DefaultIfEmpty(0).ToList();
        var (low, high) = (finite.Min(), finite.Max());
        var room = (high > low ? high - low : 1) * 0.08;
        return (low - room, high + room);
    }

    private static void Grids(StringBuilder svg, Area area, double low, double high)
    {
        foreach (var value in Ticks(low, high, 4))
        {
            var y = area.Y(value, low, high);
            svg.Append(CultureInfo.InvariantCulture, $"""<path d="M{Left} {y:0.#}H{Width - Right}" stroke="{Grid}"/><text x="{Left - 8}" y="{y + 4:0.#}" text-anchor="end" fill="{Soft}" font-family="Spline Sans Mono, monospace" font-size="12">{Math.Round(value, 9).ToString("0.#########", CultureInfo.InvariantCulture)}</text>""");
        }

        foreach (var second in Ticks(area.From, area.To, 8))
            svg.Append(CultureInfo.InvariantCulture, $"""<path d="M{area.X(second):0.#} {area.Top}v{area.Height}" stroke="{Grid}"/>""");
    }

    private static void Seconds(StringBuilder svg, int y, double from, double to)
    {
        var area = new Area(0, 0, from, to);
        var places = Math.Clamp((int)Math.Ceiling(-Math.Log10((to - from) / 8)) + 1, 0, 7);
        foreach (var second in Ticks(from, to, 8))
            svg.Append(CultureInfo.InvariantCulture, $"""<text x="{area.X(second):0.#}" y="{y}" text-anchor="middle" fill="{Soft}" font-family="Spline Sans Mono, monospace" font-size="12">{second.ToString("F" + places, CultureInfo.InvariantCulture)}</text>""");
        svg.Append(CultureInfo.InvariantCulture, $"""<text x="{(Left + Width - Right) / 2}" y="{y + 22}" text-anchor="middle" fill="{Soft}">seconds</text>""");
    }

    private static void Trace(StringBuilder svg, double[]? seconds, double[] values, Area area, double low, double high, string ink)
    {
        svg.Append(CultureInfo.InvariantCulture, $"""<svg x="0" y="{area.Top}" width="{Width}" height="{area.Height}" viewBox="0 {area.Top} {Width} {area.Height}"><path fill="none" stroke="{ink}" stroke-width="1.25" stroke-linejoin="round" d=" """);
        var pen = 'M';
        var columns = values.Length / 2;
        for (var i = 0; i < values.Length; i++)
        {
            var at = seconds is not null ? seconds[i] : area.From + (i / 2 + (i % 2 == 0 ? 0.25 : 0.75)) * (area.To - area.From) / columns;
            if (!double.IsFinite(values[i]))
            {
                pen = 'M';
                continue;
            }

            svg.Append(CultureInfo.InvariantCulture, $"{pen}{area.X(at):0.#} {area.Y(values[i], low, high):0.#}");
            pen = 'L';
        }

        svg.Append("\"/></svg>");
    }

    /// <summary>Round numbers (1, 2 or 5 times a power of ten apart) between two ends.</summary>
    private static IEnumerable<double> Ticks(double low, double high, int about)
    {
        var rough = (high - low) / about;
        var power = Math.Pow(10, Math.Floor(Math.Log10(rough)));
        var step = power * (rough / power >= 5 ? 5 : rough / power >= 2 ? 2 : 1);
        for (var n = Math.Ceiling(low / step); n * step <= high; n++) yield return n * step;
    }

    private static string Text(string text) => WebUtility.HtmlEncode(text);
}
