using System.Globalization;
using System.Text;
using System.Xml.Linq;
using Maschera.App;
using Maschera.Core.Quantities;
using Maschera.Core.Signals;
using Maschera.Store;

namespace Maschera.Web.Drawing;

/// <summary>A view of the bench as an SVG that stands alone: names, units, scales and conditions are on it.</summary>
public static class BenchPicture
{
    private const int Width = 1200,
        Left = 84,
        Right = 20,
        Top = 74,
        LaneGap = 30,
        Foot = 44,
        UsualHeight = 150;

    /// <summary>Pixels a letter of a lane's name takes, about.</summary>
    private const int Letter = 7;

    /// <summary>Draws the lanes that are not put aside, between two times in s, with calipers, pins and what lies underneath.</summary>
    /// <param name="under">The capture laid underneath, as pencil; null for none.</param>
    public static string Draw(
        StoredCapture capture,
        Arrangement arrangement,
        SampleStore samples,
        double from,
        double to,
        StoredCapture? under = null
    )
    {
        var lanes = arrangement
            .Lanes.Select(lane => lane with { Channels = [.. lane.Channels.Where(c => !c.Hidden)] })
            .Where(lane => lane.Channels.Count > 0)
            .ToList();
        var height = Top + lanes.Sum(lane => (lane.Height ?? UsualHeight) + LaneGap) + Foot;
        var picture = Svg.Document(Width, height)
            .With(
                Svg.Text(Left, 30, $"{capture.Job!.Vehicle}: {capture.Name}", size: 19),
                Svg.Text(Left, 52, $"{Say.Day(capture.TakenAt)} · {Say.Conditions(capture.Conditions)}", fill: Palette.Soft)
            );
        var traces = lanes.SelectMany(lane => lane.Channels).Select(shown => Trace.Of(capture, shown, samples, from, to)).ToList();
        var pencils =
            under is null || arrangement.Compare is not { } compare
                ? []
                : traces.Select(t => t.Under(capture, under, compare, samples, from, to)).OfType<Trace>().ToDictionary(t => t.Shown);
        if (pencils.Count > 0)
            picture.Add(Svg.Text(Width - Right, 52, $"dashed: {under!.Job!.Vehicle}: {under.Name}", "end", Palette.Soft));
        var scales = traces
            .GroupBy(trace => arrangement.ScaleOf(trace.Shown, capture))
            .SelectMany(g => g.Select(trace => (trace.Shown, Scale: Scale([.. g.SelectMany(t => WithPencil(t))], g.Key.Range))))
            .ToDictionary(g => g.Shown, g => g.Scale);
        var y = Top;
        foreach (var lane in lanes)
        {
            var area = new Area(y + LaneGap - 8, lane.Height ?? UsualHeight, from, to);
            foreach (var shown in lane.Channels)
                if (pencils.TryGetValue(shown, out var pencil))
                    picture.Add(Line(pencil, scales[shown], area));
            picture.Add(Lane([.. lane.Channels.Select(c => (traces.First(t => t.Shown == c), scales[c]))], area));
            foreach (var caliper in capture.Calipers.Where(c => lane.Channels.Any(x => x.Channel == c.ChannelId)))
                picture.Add(Jaws(caliper, traces.First(t => t.Shown.Channel == caliper.ChannelId), samples, area));
            y += area.Height + LaneGap;
        }

        foreach (var pin in capture.Pins.Where(p => p.At >= from && p.At <= to))
            picture.Add(Pin(pin, y, from, to));
        return picture.With(Seconds(y + 8, from, to)).ToString(SaveOptions.DisableFormatting);

        IEnumerable<double> WithPencil(Trace trace) =>
            pencils.TryGetValue(trace.Shown, out var pencil) ? trace.Values.Concat(pencil.Values) : trace.Values;
    }

    /// <summary>A caliper's two jaws over its lane, with what it measures between them.</summary>
    private static IEnumerable<XElement> Jaws(StoredCaliper caliper, Trace trace, SampleStore samples, Area area)
    {
        var (left, right) = (area.X(caliper.From), area.X(caliper.To));
        if (right < Left || left > Width - Right)
            yield break;
        foreach (var x in (double[])[left, right])
            if (x is >= Left and <= Width - Right)
                yield return Svg.Path($"M{Svg.Coordinate(x)} {area.Top}v{area.Height}", Palette.Ink, 1.5);
        var label = Figures.Label(SpanMeasure.Of(samples.Reader(trace.Row), caliper.From, caliper.To), trace.Unit);
        var middle = (Math.Max(Left, left) + Math.Min(Width - Right, right)) / 2;
        yield return Svg.Haloed(middle, area.Top + 14, $"{caliper.Name} {label}".Trim());
    }

    private static IEnumerable<XElement> Pin(StoredPin pin, int foot, double from, double to)
    {
        var x = new Area(0, 0, from, to).X(pin.At);
        yield return Svg.Path($"M{Svg.Coordinate(x)} {Top}V{foot - 12}", Palette.Soft);
        yield return Svg.Haloed(x, Top + 4, pin.Remark);
    }

    private readonly record struct Area(int Top, int Height, double From, double To)
    {
        public double X(double seconds) => Left + (seconds - From) / (To - From) * (Width - Left - Right);

        public double Y(double value, double low, double high) => Top + Height - (value - low) / (high - low) * Height;
    }

    /// <summary>A channel's values as they are drawn, in the unit shown.</summary>
    private sealed record Trace(LaneChannel Shown, StoredChannel Row, UnitChoice Unit, string Ink, double[]? Seconds, double[] Values)
    {
        public string Name => BenchPicture.Name(Row, Shown, Unit);

        private double Drawn(double value) => (Shown.Invert ? -1 : 1) * (value * Unit.Factor + Unit.Offset) + Shown.Offset;

        /// <summary>The namesake underneath on this one's time and unit; null where there is none.</summary>
        public Trace? Under(StoredCapture own, StoredCapture under, Comparison laid, SampleStore samples, double from, double to)
        {
            if (Comparison.Partner(Row, own, under) is not { } other)
                return null;
            var trace = samples.Window(other, (from - laid.Shift) / laid.Stretch, (to - laid.Shift) / laid.Stretch, Width - Left - Right);
            return this with
            {
                Ink = Palette.Soft,
                Seconds = trace.Seconds is { } seconds ? Array.ConvertAll(seconds, t => t * laid.Stretch + laid.Shift) : null,
                Values = Array.ConvertAll(trace.Values, v => Drawn(v)),
            };
        }

        public static Trace Of(StoredCapture capture, LaneChannel shown, SampleStore samples, double from, double to)
        {
            var row = capture.Channels.First(c => c.Id == shown.Channel);
            var drawn = capture.Channels.FirstOrDefault(c => c.Id == shown.Copy) ?? row;
            var ink = Palette.Traces[capture.OwnChannels.Index().First(c => c.Item.Id == row.Id).Index % Palette.Traces.Count];
            var unit = UnitConversion.For(row.Unit).FirstOrDefault(u => u.Unit == shown.Unit) is { Unit: not null } u
                ? u
                : new UnitChoice(row.Unit, 1, 0);
            var trace = samples.Window(drawn, from, to, Width - Left - Right);
            var made = new Trace(shown, row, unit, ink, trace.Seconds, []);
            return made with { Values = Array.ConvertAll(trace.Values, v => made.Drawn(v)) };
        }
    }

    private static IEnumerable<XElement> Lane(IReadOnlyList<(Trace, (double Low, double High))> traces, Area area)
    {
        double x = Left;
        foreach (var (i, (trace, (low, high))) in traces.Index())
        {
            if (i == 0)
                foreach (var line in Grid(area, low, high))
                    yield return line;
            yield return Line(trace, (low, high), area);
            var own = i > 0 && (low, high) != traces[0].Item2;
            var name = trace.Name + (own ? $" ({Figures.Digits(low)} to {Figures.Digits(high)})" : "");
            yield return Svg.Rectangle(x, area.Top - 14, 18, 3, trace.Ink);
            yield return Svg.Text(x + 24, area.Top - 8, name);
            x += 50 + Letter * name.Length;
        }
    }

    private static XElement Line(Trace trace, (double Low, double High) scale, Area area) =>
        Svg.Window(0, area.Top, Width, area.Height)
            .With(
                Svg.Path(
                    Course(trace.Seconds, trace.Values, area, scale.Low, scale.High),
                    trace.Ink,
                    1.25,
                    trace.Ink == Palette.Soft ? "5 4" : null
                )
            );

    private static string Name(StoredChannel row, LaneChannel shown, UnitChoice unit)
    {
        string?[] changes =
        [
            shown.Invert ? "inverted" : null,
            shown.Offset != 0 ? $"moved by {Figures.Digits(shown.Offset)}" : null,
            shown.Standing ? "AC coupled" : null,
            shown.Smooth == "lowpass" ? $"low-pass {Figures.Digits(shown.SmoothBy)} Hz"
            : shown.Smooth == "median" ? $"median of {Figures.Digits(shown.SmoothBy)}"
            : null,
        ];
        var said = unit.Unit.Length > 0 ? unit.Unit : "share of full scale";
        return string.Join(", ", changes.OfType<string>().Prepend(said).Prepend(row.Name));
    }

    private static (double Low, double High) Scale(double[] values, double[]? kept)
    {
        if (kept is not null)
            return (kept[0], kept[1]);
        var finite = values.Where(double.IsFinite).DefaultIfEmpty(0).ToList();
        var (low, high) = (finite.Min(), finite.Max());
        // A constant has room by its own size, so that its lines can be told apart.
        var room = (high > low ? high - low : Math.Max(1, Math.Abs(high) * 1e-3)) * 0.08;
        return (low - room, high + room);
    }

    private static IEnumerable<XElement> Grid(Area area, double low, double high)
    {
        foreach (var value in Axis.Ticks(low, high, 4))
        {
            var y = area.Y(value, low, high);
            yield return Svg.Path($"M{Left} {Svg.Coordinate(y)}H{Width - Right}", Palette.Grid);
            yield return Svg.Figure(Left - 8, y + 4, Math.Round(value, 9).ToString("0.#########", CultureInfo.InvariantCulture), "end");
        }

        foreach (var second in Axis.Ticks(area.From, area.To, 8))
            yield return Svg.Path($"M{Svg.Coordinate(area.X(second))} {area.Top}v{area.Height}", Palette.Grid);
    }

    private static IEnumerable<XElement> Seconds(int y, double from, double to)
    {
        var area = new Area(0, 0, from, to);
        var places = Math.Clamp((int)Math.Ceiling(-Math.Log10((to - from) / 8)) + 1, 0, 7);
        foreach (var second in Axis.Ticks(from, to, 8))
            yield return Svg.Figure(area.X(second), y, second.ToString("F" + places, CultureInfo.InvariantCulture), "middle");
        yield return Svg.Text((Left + Width - Right) / 2.0, y + 22, "seconds", "middle", Palette.Soft);
    }

    /// <summary>The path of a trace; it breaks where values are missing.</summary>
    private static string Course(double[]? seconds, double[] values, Area area, double low, double high)
    {
        var path = new StringBuilder();
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

            path.Append(CultureInfo.InvariantCulture, $"{pen}{area.X(at):0.#} {area.Y(values[i], low, high):0.#}");
            pen = 'L';
        }

        return path.ToString();
    }
}
