using System.Globalization;
using Maschera.Core.Basics;
using Maschera.Core.Signals;

namespace Maschera.Core.Readings.PulseCount;

/// <summary>Puts the result together from what the ring showed.</summary>
internal sealed class PulseCountMaker(
    ReadingRequest request,
    IReadOnlyDictionary<string, Channel> channels,
    PulseEdges pulses,
    Turns turns,
    RingMeasure ring,
    PulseCountReading.Asked asked
)
{
    private const double Irregular = 4;

    public PulseCountResult Make()
    {
        var signal = channels["signal"];
        var levels = pulses.IsSine ? null : Levels(signal);
        var verdict = VerdictOf();
        var beside = channels.TryGetValue("other", out var other) ? SideBySide.Of(signal, other, ring.Teeth) : null;
        return new PulseCountResult
        {
            Verdict = verdict,
            Sentence = Sentence(verdict),
            Notes = [.. Notes(levels), .. Beside(other, beside)],
            Channels = RoleResolver.Names(channels),
            Span = new Stretch(
                pulses.Begins[Math.Min(turns.Starts[0], pulses.Count - 1)],
                pulses.Begins[Math.Min(turns.Starts[^1], pulses.Count - 1)]
            ),
            Signal = pulses.IsSine ? "sine" : "square",
            Pulses = turns.Pulses,
            Revolutions = turns.Count,
            PerRevolution = (double)turns.Pulses / turns.Count,
            Target = asked.Target,
            Missing = ring.Missing,
            Levels = levels,
            RunoutPercent = ring.Runout,
            Dropouts = [.. ring.Dropouts.Select(d => new Stretch(d.From, d.To))],
            Ring = ring.Ring,
            Turns = ring.EachTurn,
            Beside = beside,
        };
    }

    private static IEnumerable<Note> Beside(Channel? other, SensorBeside? beside) =>
        beside is not null
            ?
            [
                new("beside", beside.Text),
                .. beside.PulsesPerSecond is null
                    ?
                    [
                        new Note(
                            "other-pace",
                            $"'{beside.Channel}' never ran at this pace: sizes are brought to one pace. Turn both wheels alike to be sure."
                        ),
                    ]
                    : (Note[])[],
            ]
        : other is not null
            ? [new("not-beside", $"'{other.Name}' can't be compared: it gives too few pulses, or is another kind of sensor.")]
        : [];

    private string VerdictOf()
    {
        if (asked.Target is { } target && ring.Teeth != target)
            return ring.Teeth < target ? "short" : "extra";
        if (ring.Missing.Count > 0)
            return "short";
        if (ring.Dropouts.Count > 0)
            return "drops-out";
        return ring.Runout >= Irregular ? "irregular" : "matches";
    }

    private string Sentence(string verdict) =>
        verdict == "drops-out" || ring.Dropouts.Count == 0 ? Said(verdict) : $"{Said(verdict)} Besides, {Lost()}.";

    private string Lost()
    {
        var lost = ring.Dropouts.Sum(d => d.Pulses);
        return $"{lost} pulse{(lost == 1 ? " is" : "s are")} lost at places that do not repeat: a loose contact, a gap too wide or "
            + "something on the ring";
    }

    private string Said(string verdict)
    {
        var counted = $"{turns.Pulses} pulses in {turns.Count} revolution{(turns.Count == 1 ? "" : "s")}, {ring.Teeth} each";
        var wanted = asked.Target is { } target ? $" where {target} should be" : "";
        return verdict switch
        {
            "short" when ring.Missing.Count > 0 =>
                $"{counted}{wanted}: {Gone()} at the same place of every revolution. The ring is damaged or dirty there.",
            "short" => $"{counted}{wanted}, evenly: a ring with another number of teeth.",
            "extra" => $"{counted}{wanted}: another ring, or a signal that counts twice (ringing, a gap too small).",
            "irregular" =>
                $"{counted}, but the teeth are uneven by {Figure(ring.Runout!.Value)} % at the same place of every revolution: a ring "
                    + "off centre, cracked or corroded.",
            "drops-out" => $"{counted} but {Lost()}.",
            _ => $"{counted}{(asked.Target is null ? "" : ", as it should be")}.",
        };
    }

    private string Gone()
    {
        var teeth = ring.Missing.Sum(m => m.Pulses);
        var places = string.Join(" and ", ring.Missing.Take(3).Select(m => m.Degrees is { } d ? $"{d:0}°" : $"{m.At:0.00} s"));
        return $"{teeth} {(teeth == 1 ? "tooth is" : "teeth are")} missing ({places})";
    }

    private PulseLevels Levels(Channel signal)
    {
        var rails = PulseTrain.FindRails(signal.Samples);
        static bool? Fits(double level, (double From, double To)? window) => window is { } w ? level >= w.From && level <= w.To : null;
        return new(rails.Low, rails.High, Fits(rails.Low, asked.Low), Fits(rails.High, asked.High));
    }

    private static readonly Note ByHand = new(
        "by-hand",
        "The number is right; whether the teeth come at even distances can't be told from a wheel turned by hand so unevenly. For that let "
            + "it run by itself, with a mark."
    );

    private static readonly Note UnevenOpen = new(
        "uneven-open",
        "The number is right; whether the teeth come at even distances can't be told: their lengths do not come again from one revolution "
            + "to the next. Let it run more steadily for five revolutions, and sample faster."
    );

    private List<Note> Notes(PulseLevels? levels)
    {
        List<Note> notes = [];
        if (asked.Target is null)
            notes.Add(new("no-target", "How many pulses a revolution should give was not said: the count is judged by its own gaps only."));
        if (levels?.LowFits == false)
            notes.Add(new("low-level", $"The low level of {Figure(levels.Low)} V lies outside of its window."));
        if (levels?.HighFits == false)
            notes.Add(new("high-level", $"The high level of {Figure(levels.High)} V lies outside of its window."));
        if (pulses.IsSine && (asked.Low ?? asked.High) is not null)
            notes.Add(new("no-levels", "The signal is a sine and has no levels to hold against a window."));
        if (turns.Marks.Count == 0 && asked.Revolutions is null)
            notes.Add(
                new("turns-by-pattern", $"A revolution is told by the pattern of the teeth, which repeats after {ring.Teeth} pulses.")
            );
        if (asked.Revolutions is { } revolutions && turns.Marks.Count == 0 && turns.Pulses % revolutions != 0)
            notes.Add(
                new(
                    "not-whole",
                    $"{turns.Pulses} pulses are no whole number in each of {revolutions} turns: turn again, from tape to tape."
                )
            );
        if (ring.Runout is null && VerdictOf() == "matches")
            notes.Add(asked.Revolutions is not null && turns.Marks.Count == 0 ? ByHand : UnevenOpen);
        if (!request.Channels.ContainsKey("signal"))
            notes.Add(new("channels-guessed", $"Counted is '{channels["signal"].Name}'; say otherwise with --channel signal=COLUMN."));
        return notes;
    }

    private static string Figure(double value) => value.ToString("0.##", CultureInfo.InvariantCulture);
}
