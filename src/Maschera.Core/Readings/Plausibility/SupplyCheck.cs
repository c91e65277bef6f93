using System.Text.RegularExpressions;
using Maschera.Core.Quantities;
using Maschera.Core.Signals;

namespace Maschera.Core.Readings.Plausibility;

/// <summary>Supplies that are not at their level, and sensors that follow one which sags.</summary>
internal static partial class SupplyCheck
{
    /// <summary>A regulated supply may be off by this share; above so many volts it is a battery's and moves with its charge.</summary>
    private const double MayBeOff = 0.05,
        MostRegulated = 10;

    /// <summary>It has to be off so long, s: in a log, and on a scope.</summary>
    private const double LeastInLog = 0.45,
        LeastOnScope = 0.02;

    /// <summary>A sag changes all it feeds by this factor's logarithm at least, alike to this share, within so many samples.</summary>
    private const double LeastSag = 0.1,
        AlikeTo = 0.02,
        Samples = 2.5;

    /// <summary>So much of the change comes from one sample to the next; what is measured moves more gently.</summary>
    private const double AtOnce = 0.75;

    /// <summary>With longer steps, s, what is measured changes at once as well: foot and throttle have to be known.</summary>
    private const double MostStep = 0.3;

    /// <summary>Two at least stand before and after, within this share of their supply.</summary>
    private const double Steady = 0.04;

    /// <summary>
    /// Foot and throttle stay within this share of their range meanwhile, and move by less than what could explain the factor:
    /// near their stop a sensor's volts change by so much more of themselves than the foot of its range.
    /// </summary>
    private const double Stands = 0.1,
        AtMostExplains = 4;

    /// <summary>Faster than this an engine runs, rpm.</summary>
    private const double Turning = 400;

    /// <summary>Signals below this share of their supply are too near ground to show a factor.</summary>
    private const double LeastLevel = 0.03;

    /// <summary>Samples on either side of a change from which its factor is taken.</summary>
    private const int Beside = 3;

    /// <param name="Unsure">What the samples beside the change leave open of its factor, as a share.</param>
    /// <param name="IsSteady">It stands before and after.</param>
    private readonly record struct Change(Watched Channel, double At, double Factor, double Unsure, bool IsSteady);

    public static IEnumerable<Finding> Find(IReadOnlyList<Watched> channels) =>
        Sagging(
                [.. channels.Where(c => c is { Supply: not null, Switches: false, IsLog: true })],
                [.. channels.Where(IsDriver)],
                [.. channels.Where(c => c.IsLog && c.Is(KnownQuantities.EngineSpeed))]
            )
            .Concat(channels.Where(IsLevel).SelectMany(OffLevel));

    /// <summary>A supply itself, not what a sensor fed from one says.</summary>
    private static bool IsLevel(Watched channel) =>
        channel is { IsSupply: true, Switches: false, Supply: < MostRegulated }
        && channel.Quantile(0.5) > 0.5 * channel.Supply
        && !MeasuredNames().IsMatch(channel.Name);

    private static bool IsDriver(Watched channel) =>
        channel is { Supply: null, IsLog: true } && (channel.Is(KnownQuantities.Pedal) || channel.Is(KnownQuantities.Throttle));

    private static IEnumerable<Finding> OffLevel(Watched channel)
    {
        var supply = channel.Supply!.Value;
        foreach (var (first, last) in channel.Runs(i => Math.Abs(channel.Samples[i] - supply) > MayBeOff * supply, bridge: 1))
            if (last - first >= 2 && channel.Time[last] - channel.Time[first] >= (channel.IsLog ? LeastInLog : LeastOnScope))
            {
                var level = Statistics.Median(channel.Samples[first..(last + 1)].Select(v => (double)v));
                yield return new Finding(
                    channel.Name,
                    "out-of-range",
                    channel.Time[first],
                    channel.Time[last],
                    1,
                    $"{channel.Name} stands at {level:0.##} V {RailCheck.Said(channel.Time[first], channel.Time[last])} where "
                        + $"{supply:0.##} V are meant: overloaded, pulled down or up, or its regulator is at fault. Unplug what it "
                        + $"feeds, one after the other."
                );
            }
    }

    /// <summary>Several signals that change by one factor at one moment, as only what they share can make them.</summary>
    private static IEnumerable<Finding> Sagging(List<Watched> fed, List<Watched> drivers, List<Watched> speeds)
    {
        if (fed.Count < 2 || drivers.Count == 0 && fed.Min(c => c.Time.Step) > MostStep)
            yield break;
        var changes = fed.SelectMany(Changes).OrderBy(c => c.At).ToList();
        var sure = changes.Where(c => drivers.All(d => Stood(d, c)) && !speeds.Any(s => StartsOrStops(s, c.At))).ToList();
        // A throttle moves without the foot where something holds the speed.
        var throttleKnown = drivers.Any(d => d.Is(KnownQuantities.Throttle));
        bool MovesByItself(Change change) => !throttleKnown && ThrottleNames().IsMatch(change.Channel.Name);
        var told = double.NegativeInfinity;
        foreach (var first in sure)
        {
            if (first.At <= told || Alike(first, sure) is not { Count: > 1 } together || together.Count(c => !MovesByItself(c)) < 2)
                continue;
            var other = changes
                .Where(c => c.At != first.At && together.Any(t => t.Channel == c.Channel) && Returns(first, c, changes))
                .Select(c => (double?)c.At)
                .MinBy(at => Math.Abs(at!.Value - first.At));
            if (together.Count(c => c.IsSteady) < 2 || together.Count < Enough(fed, first.At) || together.Count < 3 && other is null)
                continue;
            var (from, to) = other < first.At ? (other.Value, first.At) : (first.At, other ?? fed.Max(c => c.Time.End));
            told = to;
            var factor = Statistics.Median(together.Select(c => c.Factor));
            yield return Shared(together, other < first.At ? 1 / factor : factor, from, to);
        }
    }

    /// <summary>What moves the sensors rightly stands from shortly before a moment to shortly after.</summary>
    private static bool Stood(Watched driver, Change change)
    {
        var around = driver.Around(change.At, Beside);
        var moved = around.Length > 0 ? (around.Max() - around.Min()) / driver.Range : 1;
        return moved <= Stands && AtMostExplains * moved < Math.Abs(Math.Log(change.Factor)) || driver.Range == 0;
    }

    /// <summary>An engine that starts or stops moves air and fuel at once.</summary>
    private static bool StartsOrStops(Watched speed, double at)
    {
        var around = speed.Around(at, Beside);
        return around.Length > 0 && around.Min() < Turning && around.Max() > Turning;
    }

    private static bool Returns(Change away, Change back, List<Change> changes) =>
        Math.Abs(Math.Log(away.Factor * back.Factor)) < 2 * AlikeTo + away.Unsure + back.Unsure && Alike(back, changes).Count > 1;

    /// <summary>All that stand clear of ground have to go along.</summary>
    private static int Enough(List<Watched> fed, double at) => Math.Max(2, fed.Count(c => Level(c, at) > 2 * LeastLevel * c.Supply));

    private static double Level(Watched channel, double at) => channel.Samples[Math.Max(0, channel.Time.IndexAtOrAfter(at) - Beside)];

    private static List<Change> Alike(Change first, List<Change> changes) =>
        [
            .. changes
                .Where(c =>
                    Math.Abs(c.At - first.At) <= Samples * first.Channel.Time.Step
                    && Math.Abs(Math.Log(c.Factor / first.Factor)) < AlikeTo + first.Unsure + c.Unsure
                )
                .GroupBy(c => c.Channel)
                .Select(g => g.First()),
        ];

    /// <summary>Where the level changes by a factor from one sample to the next, and stands before and after.</summary>
    private static IEnumerable<Change> Changes(Watched channel)
    {
        var least = LeastLevel * channel.Supply!.Value;
        var samples = channel.Samples;
        for (var i = Beside; i + Beside <= samples.Length; i++)
        {
            var step = Math.Log(samples[i] / samples[i - 1]);
            if (!(Math.Abs(step) > AtOnce * LeastSag))
                continue;
            var (before, after) = (samples[(i - Beside)..i], samples[i..(i + Beside)]);
            var (from, to) = (Middle(before), Middle(after));
            var change = Math.Log(to / from);
            if (Math.Min(from, to) > least && Math.Abs(change) > LeastSag && step / change > AtOnce)
                yield return new Change(
                    channel,
                    channel.Time[i],
                    to / from,
                    (Wide(before) / from + Wide(after) / to) / 2,
                    Math.Max(Wide(before), Wide(after)) < Steady * channel.Supply.Value
                );
        }
    }

    private static double Middle(float[] samples) => Statistics.Median(samples.Select(v => (double)v));

    private static double Wide(float[] samples) => samples.Max() - samples.Min();

    private static Finding Shared(List<Change> together, double factor, double from, double to)
    {
        List<string> names = [.. together.Select(c => c.Channel.Name)];
        return new Finding(
            string.Join(", ", names),
            "shared-supply",
            from,
            to,
            1,
            $"{string.Join(", ", names)} change together to {100 * factor:0} % {RailCheck.Said(from, to)}: what they share does, the supply or "
                + "the ground. Measure it at one of the plugs, and unplug the others one after the other."
        )
        {
            Channels = names,
        };
    }

    [GeneratedRegex(
        "pressure|temp|position|angle|pedal|throttle|flow|level|druck|stellung|pression|pressione|presión",
        RegexOptions.IgnoreCase | RegexOptions.CultureInvariant
    )]
    private static partial Regex MeasuredNames();

    [GeneratedRegex("throttle|drossel|papillon|farfalla|mariposa", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex ThrottleNames();
}
