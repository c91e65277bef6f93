namespace Maschera.Core.Signals;

/// <summary>Stretches of samples that belong together.</summary>
internal static class Runs
{
    /// <summary>The longest run of samples that belong, gaps of up to <paramref name="bridged"/> samples taken in.</summary>
    public static (int First, int End, int Length) Longest(float[] samples, Func<float, bool> belongs, int bridged)
    {
        (int First, int End, int Length) best = default;
        int first = -1,
            last = -1;
        for (var i = 0; i <= samples.Length; i++)
        {
            var inside = i < samples.Length && belongs(samples[i]);
            if (inside && first < 0)
                first = i;
            if (inside)
                last = i;
            if (first < 0 || inside || i < samples.Length && i - last <= bridged)
                continue;
            if (last + 1 - first > best.Length)
                best = (first, last + 1, last + 1 - first);
            first = -1;
        }

        return best;
    }
}
