using System.Text.RegularExpressions;
using Maschera.Core.Expressions;
using Maschera.Core.Signals;

namespace Maschera.Core.Readings.Plausibility;

/// <summary>Short excursions of a quiet signal, and the wire whose events explain them.</summary>
internal static partial class SpikeCheck
{
    /// <summary>The level is told by medians over so long, s, and at least so many samples; a spike is far shorter.</summary>
    private const double Level = 1.5e-3;

    private const int LeastLevel = 24,
        LeastPieces = 4;

    /// <summary>Excursions beyond so many standard deviations of the noise count.</summary>
    private const double Clear = 8;

    /// <summary>
    /// Excursions closer than this belong together; longer ones are no spikes, s. At least so many samples where they are slow.
    /// </summary>
    private const double Apart = 0.4e-3,
        ApartSamples = 1.5,
        MostLength = 2.5e-3,
        MostSamples = 3.5;

    private const int LeastSpikes = 3;

    /// <summary>An event of another wire explains a spike within this time, s; one edge over so many samples is one event.</summary>
    private const double Within = 0.4e-3,
        EdgeSamples = 2.5;

    /// <summary>An abrupt change of this share of its range is an event of a wire.</summary>
    private const double EventShare = 0.12;

    private const double LeastFraction = 0.6;

    public static IEnumerable<Finding> Find(IReadOnlyList<Watched> channels)
    {
        foreach (
            var channel in channels.Where(c =>
                c is { IsLog: false, Switches: false } && c.Samples.Length > 20 * LeastLevel && !EventWires().IsMatch(c.Name)
            )
        )
        {
            var spikes = Spikes(channel);
            if (spikes.Count < LeastSpikes)
                continue;
            var best = channels
                .Where(c => c != channel && !c.IsLog)
                .Select(c => Explains(c, spikes))
                .Where(c => c is not null)
                .MaxBy(c => c!.Fraction);
            yield return new Finding(channel.Name, "spikes", spikes[0].From, spikes[^1].To, spikes.Count, Text(channel, spikes, best))
            {
                CoincidesWith = best,
            };
        }
    }

    private readonly record struct Spike(double From, double To, double Height);

    private static List<Spike> Spikes(Watched channel)
    {
        var rest = Rest(channel);
        var noise = Statistics.Scatter(
            Enumerable
                .Range(0, Math.Min(rest.Length, 50_000))
                .Select(i => (double)rest[(int)((long)i * rest.Length / Math.Min(rest.Length, 50_000))]),
            0
        );
        var limit = Math.Max(Clear * noise, 0.004 * Math.Max(Math.Abs(channel.Quantile(0.5)), channel.Range));
        var spikes = new List<Spike>();
        var apart = Math.Max(Apart, ApartSamples * channel.Time.Step);
        for (var i = 0; i < rest.Length; i++)
        {
            if (!(Math.Abs(rest[i]) > limit))
                continue;
            var t = channel.Time[i];
            if (spikes.Count > 0 && t - spikes[^1].To < apart)
                spikes[^1] = spikes[^1] with
                {
                    To = t,
                    Height = Math.Abs(rest[i]) > Math.Abs(spikes[^1].Height) ? rest[i] : spikes[^1].Height,
                };
            else
                spikes.Add(new Spike(t, t, rest[i]));
        }

        return [.. spikes.Where(s => s.To - s.From < Math.Max(MostLength, MostSamples * channel.Time.Step))];
    }

    /// <summary>What is left when the level, a line through medians of short pieces, is taken off.</summary>
    private static float[] Rest(Watched channel)
    {
        var samples = channel.Samples;
        // A short capture is levelled over shorter pieces: the line needs two of them at least.
        var piece = Math.Clamp((int)(Level / channel.Time.Step), LeastLevel, samples.Length / LeastPieces);
        var count = samples.Length / piece;
        var medians = new double[count];
        var sorted = new float[piece];
        for (var k = 0; k < count; k++)
        {
            samples.AsSpan(k * piece, piece).CopyTo(sorted);
            Array.Sort(sorted);
            medians[k] = sorted[piece / 2];
        }

        var rest = new float[samples.Length];
        for (var i = 0; i < rest.Length; i++)
        {
            var place = (i - piece / 2.0) / piece;
            var k = Math.Clamp((int)Math.Floor(place), 0, count - 2);
            rest[i] = (float)(samples[i] - medians[k] - Math.Clamp(place - k, 0, 1) * (medians[k + 1] - medians[k]));
        }

        return rest;
    }

    /// <summary>The share of spikes near an abrupt change of a wire; null where that is not much, or what chance would give.</summary>
    private static Coincidence? Explains(Watched wire, List<Spike> spikes)
    {
        var events = Events(wire);
        if (events.Count < 2)
            return null;
        var within = Within + 2 * wire.Time.Step;
        var explained = spikes.Count(s =>
        {
            var at = events.BinarySearch(s.From - within);
            at = at < 0 ? ~at : at;
            return at < events.Count && events[at] <= s.To + within;
        });
        var fraction = explained / (double)spikes.Count;
        var chance = events.Count * 2 * within / (wire.Time.End - wire.Time.Start);
        return fraction >= LeastFraction && fraction > 2.5 * chance ? new Coincidence(wire.Name, fraction) : null;
    }

    private static List<double> Events(Watched wire)
    {
        var events = new List<double>();
        var samples = wire.Samples;
        var least = EventShare * Math.Max(wire.Range, 1e-9);
        if (!wire.Switches && !EventWires().IsMatch(wire.Name))
            least = Math.Max(least, 0.5 * wire.Range);
        var edge = Math.Max(Within / 2, EdgeSamples * wire.Time.Step);
        for (var i = 2; i < samples.Length; i++)
            if (Math.Abs(samples[i] - samples[i - 2]) > least && (events.Count == 0 || wire.Time[i] - events[^1] > edge))
                events.Add(wire.Time[i]);
        return events;
    }

    private static string Text(Watched channel, List<Spike> spikes, Coincidence? best)
    {
        var height = spikes.Max(s => Math.Abs(s.Height));
        var said = $"{spikes.Count} spikes of up to {height:0.##} {channel.Channel.Unit} on {channel.Name}";
        if (best is null)
            return said
                + ". No other channel of this capture explains them: look for a loose contact, or capture the neighbour wires as well.";
        var cylinder = Number().Match(best.Channel);
        return $"{said}, {100 * best.Fraction:0} % of them at events of "
            + $"{best.Channel}{(cylinder.Success ? $", cylinder {cylinder.Value}" : "")}: its wiring, its coil or injector feeds "
            + $"into this wire. Unplug it and look again.";
    }

    [GeneratedRegex(
        "inject|ignition|coil|spark|primary|crank|cam |solenoid|pwm|zünd|einspritz",
        RegexOptions.IgnoreCase | RegexOptions.CultureInvariant
    )]
    private static partial Regex EventWires();

    [GeneratedRegex(@"\b\d{1,2}\b")]
    private static partial Regex Number();
}
