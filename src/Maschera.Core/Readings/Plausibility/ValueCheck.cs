using Maschera.Core.Logs;
using Maschera.Core.Signals;

namespace Maschera.Core.Readings.Plausibility;

/// <summary>Values beyond what can be, and values that move faster than the thing can.</summary>
internal static class ValueCheck
{
    /// <summary>Longer breaks in a log tell nothing of how fast a value moved, s.</summary>
    private const double Break = 5;

    /// <summary>A value that jumped away comes back within this time, or it has moved for good, s.</summary>
    private const double Away = 90;

    public static IEnumerable<Finding> Find(IReadOnlyList<Watched> channels)
    {
        foreach (var channel in channels.Where(c => c.Quantity is not null))
        {
            var beyond = Beyond(channel).ToList();
            foreach (var finding in beyond)
                yield return finding;
            foreach (var jump in Jumps(channel).Where(j => !beyond.Any(b => b.From <= j.To + 1 && b.To >= j.From - 1)))
                yield return jump;
        }
    }

    private static IEnumerable<Finding> Beyond(Watched channel)
    {
        if (channel.Quantity!.Possible is not var (low, high))
            yield break;
        foreach (
            var (first, last) in channel.Runs(i => channel.InQuantity(channel.Samples[i]) is var v && (v < low || v > high), bridge: 2)
        )
        {
            var value = channel.Samples[first];
            var why =
                channel.Quantity.Group == "Temperature"
                    ? channel.InQuantity(value) < low
                        ? " An open circuit reads so."
                        : " A short to ground reads so."
                    : "";
            yield return new Finding(
                channel.Name,
                "out-of-range",
                channel.Time[first],
                channel.Time[last],
                1,
                $"{channel.Name} reads {value:0.#} {channel.Channel.Unit} "
                    + $"{RailCheck.Said(channel.Time[first], channel.Time[last])}, which can't be.{why}"
            );
        }
    }

    private static IEnumerable<Finding> Jumps(Watched channel)
    {
        if (channel.Quantity!.Fastest is not var (jump, perSecond) || !channel.IsLog)
            yield break;
        var (samples, time) = (channel.Samples, channel.Time);
        var before = -1;
        for (var i = 0; i < samples.Length; i++)
        {
            if (!float.IsFinite(samples[i]))
                continue;
            var last = before;
            before = i;
            if (last < 0 || time[i] - time[last] > Break)
                continue;
            double Step(int k) => channel.InQuantity(samples[k]) - channel.InQuantity(samples[k - 1]);
            bool Jumps(int k) => Math.Abs(Step(k)) > jump + perSecond * (time[k] - time[k - 1]);
            if (last != i - 1 || !Jumps(i))
                continue;
            var back = i + 1;
            while (back < samples.Length && time[back] - time[i] < Away && !(Jumps(back) && Math.Sign(Step(back)) != Math.Sign(Step(i))))
                back++;
            var returns = back < samples.Length && time[back] - time[i] < Away;
            var end = returns ? back - 1 : i;
            yield return new Finding(
                channel.Name,
                "jump",
                time[last],
                time[end],
                1,
                $"{channel.Name} jumps from {samples[last]:0.#} to {samples[i]:0.#} {channel.Channel.Unit} within "
                    + $"{time[i] - time[last]:0.##} s{(returns ? $" and back at {time[end]:0.##} s" : "")}: faster than it can "
                    + $"move. A loose contact, or a value that stands for another."
            );
            before = i = returns ? back : end;
        }
    }
}
