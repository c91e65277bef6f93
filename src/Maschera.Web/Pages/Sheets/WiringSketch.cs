using Maschera.Core.Readings.Circuit;
using Maschera.Core.Vehicle;
using Maschera.Web.Drawing;

namespace Maschera.Web.Pages.Sheets;

/// <summary>One wire of the sketch.</summary>
/// <param name="Name">Terminal and what stands on its pin.</param>
/// <param name="Source">What it comes from on the other side.</param>
/// <param name="From">Where it begins: at the module, or at a splice.</param>
/// <param name="State">One of <see cref="WireState"/>'s words.</param>
/// <param name="Said">Its state with what told it.</param>
/// <param name="TouchedY">The wire it touches; null where it touches none of this component.</param>
public sealed record SketchWire(string Name, string Source, int From, int Y, string State, string Said, int? TouchedY)
{
    public bool IsFaulty => State is not (WireState.Sound or WireState.NotMeasured);

    public string Ink =>
        IsFaulty ? "var(--fault)"
        : State == WireState.Sound ? "var(--ink)"
        : "var(--soft)";

    public double Width => IsFaulty ? 3 : 2;
}

/// <summary>A component's box: its top, its height, its name in lines.</summary>
public sealed record SketchBox(int Top, int Height, IReadOnlyList<string> Words);

/// <summary>A splice: one wire from the module that several components share.</summary>
public sealed record SketchSplice(int X, int Y, int Top, int Bottom, string Source, string Ink, double Width);

/// <summary>Module, wires, shared splices and components, as lines on a page 560 wide.</summary>
public sealed record WiringSketch(
    int Height,
    IReadOnlyList<SketchBox> Boxes,
    IReadOnlyList<SketchSplice> Splices,
    IReadOnlyList<SketchWire> Wires,
    string Words
)
{
    private const int Left = 96,
        Pitch = 48,
        Head = 40,
        Between = 20,
        FirstSplice = 150,
        SplicesApart = 34,
        Letters = 14;

    public static WiringSketch Of(CircuitSheet sheet, IReadOnlyList<WireState> states)
    {
        var shared = sheet
            .Components.SelectMany(c => c.Pins)
            .Where(p => !Terminals.IsSignal(p.Terminal))
            .GroupBy(p => p.Terminal)
            .Where(g => g.Count() > 1)
            .Select((g, i) => (g.Key, X: FirstSplice + SplicesApart * i))
            .ToDictionary(g => g.Key, g => g.X);
        List<SketchBox> boxes = [];
        List<SketchWire> wires = [];
        var ends = shared.Keys.ToDictionary(t => t, _ => new List<(int Y, bool Faulty)>());
        var top = 8;
        foreach (var component in sheet.Components)
        {
            var rows = component.Pins.Select((p, i) => (p.Terminal, Y: top + Head + Pitch * i)).ToDictionary(p => p.Terminal, p => p.Y);
            foreach (var pin in component.Pins)
            {
                var state = states.FirstOrDefault(s => s.Wire == pin.Terminal && (s.Component ?? component.Name) == component.Name);
                wires.Add(Wire(pin, state, rows, shared.GetValueOrDefault(pin.Terminal, Left)));
                if (ends.TryGetValue(pin.Terminal, out var end))
                    end.Add((rows[pin.Terminal], state?.IsFaulty ?? false));
            }

            var height = Head + Pitch * component.Pins.Count - 8;
            boxes.Add(new(top, height, Lines(component.Name)));
            top += height + Between;
        }

        var splices = shared.Select(s => Splice(s.Key, s.Value, ends[s.Key])).ToList();
        var words = wires.Count == 0 ? "No wires yet" : string.Join("; ", wires.Select(w => $"{w.Name}: {w.Said}"));
        return new(Math.Max(top - Between + 8, 80), boxes, splices, wires, words);
    }

    private static SketchWire Wire(SheetPin pin, WireState? state, Dictionary<string, int> rows, int from)
    {
        var terminal = Terminals.Spoken(pin.Terminal);
        var name = pin.Label.Length > 0 ? $"{terminal} · {pin.Label}" : terminal;
        var word = state?.State ?? WireState.NotMeasured;
        var touched = word switch
        {
            WireState.ToGround => rows.Keys.FirstOrDefault(t => Terminals.IsGround(t)),
            WireState.ToSupply => rows.Keys.FirstOrDefault(t => Terminals.IsSupply(t) && t != pin.Terminal),
            WireState.ToSignal => rows.Keys.FirstOrDefault(t => Terminals.IsSignal(t) && t != pin.Terminal),
            _ => null,
        };
        return new(name, Source(pin.Terminal), from, rows[pin.Terminal], word, SaidOf(state), touched is null ? null : rows[touched]);
    }

    private static SketchSplice Splice(string terminal, int x, List<(int Y, bool Faulty)> ends)
    {
        var all = ends.TrueForAll(e => e.Faulty);
        return new(x, ends[0].Y, ends[0].Y, ends[^1].Y, Source(terminal), all ? "var(--fault)" : "var(--ink)", all ? 3 : 2);
    }

    /// <summary>A state for a person: its word and the figure that told it.</summary>
    public static string SaidOf(WireState? state)
    {
        if (state is null || state.State == WireState.NotMeasured)
            return "not proved";
        var word = state.State.Replace('-', ' ');
        return state.Figure is not { } figure ? word
            : state.Unit == "V" && Math.Abs(figure) < 0.1 ? $"{word}, {Say.Number(1000 * figure, 0)} mV"
            : state.Unit == "V" ? $"{word}, {Say.Number(figure, 2)} V"
            : $"{word}, {Say.Number(figure, 1)} Ω";
    }

    private static string Source(string terminal) =>
        Terminals.IsSignal(terminal) ? "signal"
        : Terminals.IsGround(terminal) ? "ground"
        : terminal.Contains('5', StringComparison.Ordinal) ? "5 V"
        : "fuse +";

    /// <summary>A name in up to three lines that fit the box.</summary>
    private static List<string> Lines(string name)
    {
        List<string> lines = [""];
        foreach (var word in name.Split(' '))
            if (lines[^1].Length == 0 || lines[^1].Length + word.Length < Letters)
                lines[^1] = $"{lines[^1]} {word}".Trim();
            else
                lines.Add(word);
        return [.. lines.Take(3).Select(l => l.Length > Letters ? l[..(Letters - 1)] + "…" : l)];
    }
}
