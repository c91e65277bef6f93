using Maschera.Core.Basics;
using Maschera.Core.Signals;

namespace Maschera.Core.Expressions;

/// <summary>The crank's speed by the sound of its starter.</summary>
internal static class Whine
{
    /// <summary>Step at which the speed is told, s.</summary>
    private const double Step = 0.002;

    /// <summary>A sound of more samples is looked at piece by piece by a person, not at once: it lies in memory whole.</summary>
    private const int MostSamples = 20_000_000;

    /// <summary>The speed over the longest stretch in which the starter sings, the middle one given.</summary>
    /// <exception cref="ExpressionException">Nothing sings, or the sound is too long.</exception>
    public static List<(double From, double To, double Value)> Speed(Func<SampleStream> open, ISampleReader axis, double middle)
    {
        if (!axis.IsUniform || axis.Count > MostSamples)
            throw new ExpressionException($"whine works on an even sound of up to {MostSamples} samples; cut the stretch out first.");
        using var stream = open();
        var samples = new float[axis.Count];
        for (var done = 0; done < samples.Length; )
        {
            var count = stream.Read(samples.AsSpan(done));
            if (count == 0)
                break;
            done += count;
        }

        var sound = new Channel("sound", "", TimeAxis.Uniform(axis.Start, axis.Step, samples.Length), samples);
        if (StarterWhine.Course(sound, Step) is not { } course)
            throw new ExpressionException("No starter sings in this sound; record it close to the engine, five seconds of cranking.");
        var usual = Statistics.Median(course.Samples.Select(f => (double)f));
        return
        [
            .. course.Samples.Select(
                (f, i) => (course.Time.Start + (i - 0.5) * Step, course.Time.Start + (i + 0.5) * Step, middle * f / usual)
            ),
        ];
    }
}
