using System.Globalization;
using System.Text.Json.Serialization.Metadata;
using System.Text.RegularExpressions;
using Maschera.Core.Basics;
using Maschera.Core.Signals;

namespace Maschera.Core.Readings.WheelSpeeds;

/// <summary>Four wheel speeds against each other: sensor, ring and tyre told from what the road does.</summary>
public sealed partial class WheelSpeedsReading : ReadingOf<WheelSpeedsResult>
{
    /// <summary>A constant ratio off by more is another tyre or ring.</summary>
    private const double OffSize = 0.02;

    private const int LeastWheels = 3,
        LeastSamples = 20,
        MostPoints = 900,
        MostPlaces = 40;

    /// <summary>Straight rolling that a judgement needs, s.</summary>
    private const double LeastRolling = 5;

    public override JsonTypeInfo ResultJson => WheelSpeedsJson.Default.WheelSpeedsResult;
    public override string Kind => "wheel-speeds";
    public override string Title => "Wheel speeds";

    public override string Method =>
        "Each wheel is held against the median of the others: what stands, drops within a sample or two, jumps faster than 20 m/s² or "
        + "starts late is a sensor's doing.\n"
        + "Turns, slip and lock are found and left out; the ratio is the median over what rolls straight above 12 km/h, and off size "
        + "from 2 %.";

    public override JobStep Step => JobStep.Look;

    public override IReadOnlyList<Verdict> Verdicts { get; } =
    [
        new("agree", Tone.Fine, "agree"),
        new("sensor-fault", Tone.Fault, "a sensor at fault"),
        new("off-size", Tone.Watch, "another size"),
        Verdict.Unusable,
    ];

    public override IReadOnlyList<Role> Roles { get; } =
    [
        new("front-left", "Front left", [], []),
        new("front-right", "Front right", [], []),
        new("rear-left", "Rear left", [], []),
        new("rear-right", "Rear right", [], []),
        new("throttle", "Throttle", [], []),
        new("brake", "Brake", [], []),
        new("steering", "Steering", [], []),
    ];

    public override IReadOnlyList<ReadingOption> Options { get; } =
    [
        new("driven", "Driven wheels", OptionType.Choice)
        {
            Usual = "not known",
            Choices = [("front", "front"), ("rear", "rear"), ("all", "all")],
        },
    ];

    public override IEnumerable<Suggestion> Suggest(CaptureFacts capture) =>
        capture.IsLog && capture.Channels.Count(c => WheelOf(c.Name) is not null) == 4 ? [new(OnlyIfUsable: true)] : [];

    protected override WheelSpeedsResult Make(ReadingRequest request, CancellationToken cancel)
    {
        var channels = RoleResolver.Resolve(this, request with { Channels = RoleResolver.WithGuesses(request, RoleOf) });
        var named = WheelNames.All.Where(channels.ContainsKey).ToList();
        if (named.Count < LeastWheels)
            return Unusable(
                channels,
                new Note(
                    "few-wheels",
                    $"{(named.Count == 0 ? "No wheel speed" : $"Only {named.Count} of four wheel speeds")} found: at "
                        + "least three are needed to "
                        + "tell which one is off. Log all four, or name them with --channel front-left=COLUMN and so on."
                )
            );
        if (named.Select(n => channels[n].Unit.ToLowerInvariant()).Distinct().Count() > 1)
            return Unusable(channels, new Note("units", "The wheels come in different units: log them alike."));
        if (named.Any(n => channels[n].Samples.Count(float.IsFinite) < LeastSamples))
            return Unusable(channels, new Note("short", "Too few values of a wheel: log a minute of driving straight on."));
        return Judge(request, channels);
    }

    private static WheelSpeedsResult Judge(ReadingRequest request, Dictionary<string, Channel> channels)
    {
        var grid = new WheelGrid(channels);
        var judge = new WheelJudge(grid);
        var road = new WheelRoad(grid, judge, Driven(request));
        if (road.RollingSeconds < LeastRolling)
            return Unusable(
                channels,
                new Note(
                    "not-rolling",
                    "The wheels never roll straight above 12 km/h for five seconds: drive straight on for half a minute."
                )
            );
        var states = States(judge, road);
        var wheels = Enumerable.Range(0, 4).Where(w => states[w] is not null).Select(w => Wheel(w, states[w]!, grid, judge, road)).ToList();
        var bad = wheels.Where(w => w.State is not ("ok" or "off-size")).ToList();
        var sized = wheels.Where(w => w.State == "off-size").ToList();
        return new WheelSpeedsResult
        {
            Verdict =
                bad.Count > 0 ? "sensor-fault"
                : sized.Count > 0 ? "off-size"
                : "agree",
            Sentence = bad.Count + sized.Count == 0 ? Agreeing(road) : string.Join(" ", bad.Concat(sized).Select(w => w.Text)),
            Notes = [.. Notes(request, grid, channels, sized), .. SeldomJumps(judge)],
            Channels = RoleResolver.Names(channels),
            Span = new Stretch(grid.Times[0], grid.Times[^1]),
            Wheels = wheels,
            Events = [.. road.Turns.Concat(road.Slides).OrderBy(e => e.From)],
            Faults = Faults(judge),
            Course = Course(grid),
            Unit = grid.IsInHertz ? "Hz" : "km/h",
        };
    }

    private static bool[] Driven(ReadingRequest request) =>
        request.Options.GetValueOrDefault("driven") switch
        {
            "front" => [true, true, false, false],
            "rear" => [false, false, true, true],
            _ => [true, true, true, true],
        };

    /// <summary>The sensors' states, and off-size where one is sound but constantly off.</summary>
    private static string?[] States(WheelJudge judge, WheelRoad road)
    {
        var states = (string?[])judge.States.Clone();
        var off = Enumerable
            .Range(0, 4)
            .Where(w => states[w] is "ok" or "late" && Math.Abs(road.AllRatios[w] - 1) > OffSize)
            .Where(w => road.Spreads[w] < Math.Abs(road.AllRatios[w] - 1))
            .ToList();
        // Two against two: either pair may be the right one; the one that stands alone on its side of 1 is kept.
        if (off.Count > 2)
            off = off.Where(w => road.AllRatios[w] < 1 == road.AllRatios[off[0]] < 1).ToList();
        foreach (var wheel in off.Where(w => states[w] == "ok"))
            states[wheel] = "off-size";
        return states;
    }

    /// <summary>A jump there and back is one place, s.</summary>
    private const double OnePlace = 0.7;

    /// <summary>Some places of each wheel whose sensor is at fault: a sound one may fall once and mean nothing.</summary>
    private static List<WheelFault> Faults(WheelJudge judge) =>
        [
            .. judge
                .Faults.Where(f => judge.States[f.Wheel] is "dead" or "drops-out" or "erratic")
                .GroupBy(f => f.Wheel)
                .SelectMany(f => f.Take(MostPlaces))
                .Select(f => new WheelFault(WheelNames.All[f.Wheel], f.Kind, f.From, f.To))
                .OrderBy(f => f.From),
        ];

    /// <summary>A sound wheel that does what none can at several places, yet not again and again: said, and not yet a fault.</summary>
    private static IEnumerable<Note> SeldomJumps(WheelJudge judge) =>
        judge
            .Faults.Where(f => judge.States[f.Wheel] == "ok")
            .GroupBy(f => f.Wheel)
            .Select(f => (Wheel: WheelNames.Said(WheelNames.All[f.Key]), Places: Places(f.Select(x => x.From))))
            .Where(f => f.Places.Count > 1)
            .Select(f => new Note(
                "seldom-jumps",
                $"{char.ToUpperInvariant(f.Wheel[0])}{f.Wheel[1..]} jumps as no wheel can at {f.Places.Count} places (first at "
                    + $"{f.Places[0].ToString("0.0", CultureInfo.InvariantCulture)} s): too few to call its sensor bad. Log longer, over "
                    + "rough road and with the wires moved."
            ));

    private static List<double> Places(IEnumerable<double> moments)
    {
        List<double> places = [];
        foreach (var at in moments.Order())
            if (places.Count == 0 || at - places[^1] > OnePlace)
                places.Add(at);
        return places;
    }

    private static WheelState Wheel(int wheel, string state, WheelGrid grid, WheelJudge judge, WheelRoad road)
    {
        var (ratio, least) = (road.AllRatios[wheel], judge.LeastSpeeds[wheel]);
        double? Known(double value) => double.IsFinite(value) ? value : null;
        return new(
            WheelNames.All[wheel],
            state,
            Known(ratio),
            Known(100 * road.Spreads[wheel]),
            grid.IsInHertz ? null : Known(least),
            Text(WheelNames.Said(WheelNames.All[wheel]), state, ratio, least, grid)
        );
    }

    private static string Text(string name, string state, double ratio, double least, WheelGrid grid)
    {
        var wheel = char.ToUpperInvariant(name[0]) + name[1..];
        return state switch
        {
            "dead" => $"{wheel} gives nothing while the others roll: sensor, its wire, or no ring before it.",
            "drops-out" => $"{wheel} falls away within a sample and comes back, again and again, as no wheel can: a loose contact, a "
                + "damaged ring or a gap too wide.",
            "erratic" => $"{wheel} jumps up and down faster than any wheel: interference, a loose sensor or dirt on the ring.",
            "late" =>
                $"{wheel} reads nothing below {(grid.IsInHertz ? "a speed at which the others already read" : $"{Figure(least, 0)} km/h")}"
                    + ": a gap too wide, a weak sensor or a rusted ring.",
            "off-size" =>
                $"{wheel} turns {Figure(100 * Math.Abs(ratio - 1), 1)} % {(ratio > 1 ? "faster" : "slower")} than the others all the "
                    + $"time: a {(ratio > 1 ? "smaller" : "larger")} tyre, low pressure, or a ring with another number of teeth.",
            _ => $"{wheel} agrees with the others.",
        };
    }

    private static string Agreeing(WheelRoad road)
    {
        var worst = road.AllRatios.Where(double.IsFinite).Max(r => Math.Abs(r - 1));
        var slides = road.Slides.Count > 0 ? $" Slip and lock ({road.Slides.Count}) are the road's doing." : "";
        return $"All wheels agree within {Figure(100 * worst, 1)} % while rolling straight.{slides}";
    }

    private static List<Note> Notes(ReadingRequest request, WheelGrid grid, Dictionary<string, Channel> channels, List<WheelState> sized)
    {
        List<Note> notes = [];
        if (sized.Count == 2)
            notes.Add(
                new(
                    "either-pair",
                    $"Two wheels are off alike ({string.Join(" and ", sized.Select(s => WheelNames.Said(s.Wheel)))}): "
                        + "the other two may as well be "
                        + "the ones of another size. Compare with the speed over ground or read the tyres."
                )
            );
        if (!channels.ContainsKey("brake"))
            notes.Add(new("no-brake", "The brake was not logged: braking is told from how fast the vehicle slows down."));
        if (!request.Options.ContainsKey("driven"))
            notes.Add(
                new("driven-unknown", "Which wheels are driven was not said: a wheel that is faster for a while counts as slip at each.")
            );
        if (grid.IsInHertz)
            notes.Add(new("in-hertz", "The wheels are in Hz: no speed is told, and jumps are judged with 48 pulses over two metres."));
        var missing = WheelNames.All.Where(n => !channels.ContainsKey(n)).ToList();
        if (missing.Count > 0)
            notes.Add(new("not-logged", $"{string.Join(", ", missing.Select(WheelNames.Said))} was not logged."));
        return notes;
    }

    private static List<WheelPoint> Course(WheelGrid grid)
    {
        var stride = Math.Max(1, grid.Count / MostPoints);
        var scale = grid.IsInHertz ? 1 / grid.Factor : 1;
        double? At(int wheel, int i) => grid.Speeds[wheel] is { } s && double.IsFinite(s[i]) ? Math.Round(scale * s[i], 2) : null;
        return
        [
            .. Enumerable
                .Range(0, grid.Count / stride)
                .Select(k => k * stride)
                .Select(i => new WheelPoint(Math.Round(grid.Times[i], 3), At(0, i), At(1, i), At(2, i), At(3, i))),
        ];
    }

    private static string? RoleOf(Channel channel) =>
        WheelOf(channel.Name)
        ?? (
            BrakeNames().IsMatch(channel.Name) ? "brake"
            : ThrottleNames().IsMatch(channel.Name) ? "throttle"
            : SteeringNames().IsMatch(channel.Name) ? "steering"
            : null
        );

    /// <summary>The wheel a column's name speaks of; null for none.</summary>
    private static string? WheelOf(string name)
    {
        if (Abbreviations().Match(name) is { Success: true } match)
            return match.Value.ToUpperInvariant() switch
            {
                "FL" or "LF" or "VL" => "front-left",
                "FR" or "RF" or "VR" => "front-right",
                "RL" or "LR" or "HL" => "rear-left",
                _ => "rear-right",
            };
        if (!WheelWords().IsMatch(name))
            return null;
        var front = Front().IsMatch(name);
        var rear = Rear().IsMatch(name);
        var (left, right) = (LeftSide().IsMatch(name), RightSide().IsMatch(name));
        return front == rear || left == right ? null : (front ? "front-" : "rear-") + (left ? "left" : "right");
    }

    private static string Figure(double value, int places) => value.ToString("F" + places, CultureInfo.InvariantCulture);

    [GeneratedRegex(@"(?<![A-Za-z])(?:FL|FR|RL|RR|LF|RF|LR|VL|VR|HL|HR)(?![A-Za-z])", RegexOptions.CultureInvariant)]
    private static partial Regex Abbreviations();

    [GeneratedRegex("wheel|rad|ruota|roue|ring|speed|front|rear|abs", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex WheelWords();

    [GeneratedRegex(@"front|vorn|anterior|\bav", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex Front();

    [GeneratedRegex("rear|back|hinten|posterior|arri", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex Rear();

    [GeneratedRegex("left|links|sinistr|gauche", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex LeftSide();

    [GeneratedRegex("right|rechts|destr|droit", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex RightSide();

    [GeneratedRegex("brake|bremse|freno|frein", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex BrakeNames();

    [GeneratedRegex("throttle|pedal|drossel|gas", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex ThrottleNames();

    [GeneratedRegex("steer|lenk|sterzo|volant", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex SteeringNames();
}
