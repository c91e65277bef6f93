using System.Text.RegularExpressions;
using Maschera.Core.Basics;
using Maschera.Core.Signals;

namespace Maschera.Core.Readings.Response;

/// <summary>A stretch in which the command stands off its resting value.</summary>
/// <param name="From">Start, s: half way between the last sample before and the first one after the edge.</param>
/// <param name="To">End, s: where it comes back, or the next edge of a change that lasts, or the end of the log.</param>
/// <param name="Step">1 where the command goes away from rest, -1 where it goes back on a change that lasts.</param>
internal readonly record struct CommandTrial(double From, double To, int Step)
{
    public double Seconds => To - From;
}

/// <summary>Where a command stands off its resting value.</summary>
internal static partial class CommandCourse
{
    /// <summary>A command is off its rest beyond this share of its largest departure: trials may differ in height.</summary>
    private const double OffShare = 0.25;

    /// <summary>
    /// A measured command steps by more than this share of its range, and trembles at a level by less than the second; what drifts
    /// slowly through its range does neither.
    /// </summary>
    private const float StepShare = 0.05f,
        TrembleShare = 0.0075f;

    /// <summary>A command that switches faster than this is a pulse train, whose mean over as long is the command, s.</summary>
    private const double PulseSeconds = 0.05;

    /// <summary>What comes back for less is no return, s.</summary>
    private const double ShortestRest = 0.3;

    /// <summary>The stretches off rest; every edge is one where the last change stays to the end.</summary>
    public static List<CommandTrial> Trials(Channel command)
    {
        var course = Steady(command);
        var off = OffRestStretches(course);
        var stays = off.Count > 0 && off[^1].To >= course.Time.End;
        return stays ? Edges(course, off) : [.. off.Select(s => new CommandTrial(s.From, s.To, 1))];
    }

    /// <summary>The stretches in which a column of the log that looks like a command stands off its rest.</summary>
    public static IEnumerable<Stretch> OffRest(IEnumerable<Channel> others) =>
        others.Where(LooksLikeCommand).SelectMany(c => OffRestStretches(Steady(c)));

    /// <summary>True for a column of words, or one of steps with a unit that commands have.</summary>
    public static bool LooksLikeCommand(Channel channel)
    {
        if (channel.Words is { } words)
            return words.Count(w => w.Length > 0) > 1;
        var isShare = channel.Unit is "" or "-" or "%";
        return (isShare || CommandNames().IsMatch(channel.Name)) && IsStepped(channel.Samples, mayTremble: isShare);
    }

    /// <summary>True where the name says that it is what the module asks for.</summary>
    public static bool IsNamedCommand(Channel channel) => CommandNames().IsMatch(channel.Name);

    /// <summary>Few changes from sample to sample, but some; where the command was measured, beside the little it trembles.</summary>
    /// <param name="mayTremble">True where the values are no current or voltage, which is what a command does, not the command.</param>
    private static bool IsStepped(float[] samples, bool mayTremble)
    {
        var known = samples.Where(float.IsFinite).ToArray();
        if (known.Length == 0)
            return false;
        var range = known.Max() - known.Min();
        if (IsFew(Levels(known, 0).Count(), known.Length))
            return true;
        if (!mayTremble || !IsFew(Levels(known, StepShare * range).Count(), known.Length))
            return false;
        var trembles = Levels(known, StepShare * range).Select(l => Statistics.StandardDeviation([.. known[l].Select(v => (double)v)]));
        return Statistics.Median(trembles) < TrembleShare * range;
    }

    private static bool IsFew(int levels, int samples) => levels > 1 && levels - 1 <= Math.Max(2, samples / 20);

    /// <summary>Runs of values that stay within a distance of their first.</summary>
    private static IEnumerable<Range> Levels(float[] values, float distance)
    {
        var first = 0;
        for (var i = 1; i <= values.Length; i++)
            if (i == values.Length || Math.Abs(values[i] - values[first]) > distance)
            {
                yield return first..i;
                first = i;
            }
    }

    /// <summary>The command itself, or the means of a fast one, so that a train of pulses counts by its duty.</summary>
    private static Channel Steady(Channel command)
    {
        var known = command.Samples.AsSpan().ContainsAnyExceptInRange(float.NegativeInfinity, float.PositiveInfinity)
            ? Filled(command)
            : command;
        return known.Time.Step < PulseSeconds / 5 ? new MemoryReader(known).LoadAtMost(1 / PulseSeconds) : known;
    }

    /// <summary>A missing value is taken for the one before it: a command stands until it is changed.</summary>
    private static Channel Filled(Channel command)
    {
        var samples = (float[])command.Samples.Clone();
        var last = Array.Find(samples, float.IsFinite);
        for (var i = 0; i < samples.Length; i++)
            samples[i] = last = float.IsFinite(samples[i]) ? samples[i] : last;
        return command with { Samples = samples };
    }

    private static List<Stretch> OffRestStretches(Channel course)
    {
        var samples = course.Samples;
        if (samples.Length < 4)
            return [];
        var rest = Rest(course);
        var reach = Statistics.Quantile(Statistics.Sorted(samples.Select(v => (double)Math.Abs(v - rest))), 0.98);
        if (samples.Length < 200)
            reach = samples.Max(v => Math.Abs(v - rest));
        if (!(reach > 0))
            return [];
        List<Stretch> found = [];
        double? since = null;
        for (var i = 0; i < samples.Length; i++)
        {
            var isOff = Math.Abs(samples[i] - rest) > OffShare * reach;
            if (isOff == since.HasValue)
                continue;
            var at = i == 0 ? course.Time[0] : (course.Time[i - 1] + course.Time[i]) / 2;
            if (isOff)
                since = at;
            else
            {
                found.Add(new Stretch(since!.Value, at));
                since = null;
            }
        }

        if (since is { } open)
            found.Add(new Stretch(open, course.Time.End));
        return Joined(found, Math.Max(ShortestRest, 1.5 * course.Time.Step));
    }

    /// <summary>Where the command stands before the first trial: the middle of its first second.</summary>
    private static double Rest(Channel course)
    {
        var first = Math.Max(5, course.Time.IndexAtOrAfter(course.Time.Start + 1));
        return Statistics.Median(course.Samples.Take(Math.Min(first, course.Samples.Length)).Select(v => (double)v));
    }

    private static List<Stretch> Joined(List<Stretch> found, double shortest)
    {
        List<Stretch> joined = [];
        foreach (var stretch in found)
            if (joined.Count > 0 && stretch.From - joined[^1].To < shortest)
                joined[^1] = joined[^1] with { To = stretch.To };
            else
                joined.Add(stretch);
        return joined;
    }

    /// <summary>Every edge of a command that stays changed, each to the next one.</summary>
    private static List<CommandTrial> Edges(Channel course, List<Stretch> off)
    {
        List<(double At, int Step)> edges = [];
        foreach (var stretch in off)
        {
            edges.Add((stretch.From, 1));
            edges.AddRange(LevelsWithin(course, stretch));
            if (stretch.To < course.Time.End)
                edges.Add((stretch.To, -1));
        }

        return [.. edges.Select((e, i) => new CommandTrial(e.At, i + 1 < edges.Count ? edges[i + 1].At : course.Time.End, e.Step))];
    }

    /// <summary>Further steps within a stretch off rest; a ramp of up to two seconds is one step.</summary>
    private static IEnumerable<(double At, int Step)> LevelsWithin(Channel course, Stretch stretch)
    {
        const double ramp = 2;
        var (first, end) = (course.Time.IndexAtOrAfter(stretch.From), course.Time.IndexAtOrAfter(stretch.To));
        var rest = Rest(course);
        var least = OffShare / 2 * course.Samples[first..end].DefaultIfEmpty(0).Max(v => Math.Abs(v - rest));
        var (level, since) = (course.Samples[Math.Min(end - 1, course.Time.IndexAtOrAfter(stretch.From + ramp))], stretch.From + ramp);
        for (var i = course.Time.IndexAtOrAfter(since); i < end; i++)
        {
            if (course.Time[i] < since || Math.Abs(course.Samples[i] - level) <= least)
                continue;
            var after = course.Samples[Math.Min(end - 1, course.Time.IndexAtOrAfter(course.Time[i] + ramp))];
            yield return ((course.Time[i - 1] + course.Time[i]) / 2, after > level == level > rest ? 1 : -1);
            (level, since) = (after, course.Time[i] + ramp);
        }
    }

    [GeneratedRegex(
        @"command|cmd|commanded|\bset\b|\bsoll\b|target|requested|demand|\bsteller\b|actuator"
            + @"|ventil\b|valve\b|flap\b|klappe|relay|purge|\bout\b",
        RegexOptions.IgnoreCase | RegexOptions.CultureInvariant
    )]
    private static partial Regex CommandNames();
}
