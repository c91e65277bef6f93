using Maschera.Core.Signals;

namespace Maschera.Core.Readings.PressureHold;

/// <summary>Whether a pump is heard in a pressure.</summary>
internal static class RunningPump
{
    /// <summary>A ripple of this share of the pressure is a pump's, whatever its beat.</summary>
    private const double Ripple = 0.01;

    /// <summary>A beat of this share is one too, where it stands out so many times among the others; noise reaches ten.</summary>
    private const double Beat = 0.002,
        Clear = 16;

    /// <summary>Up to this share of the last place it may be the file's own steps.</summary>
    private const double Steps = 0.7;

    /// <summary>Slower than that nothing beats, Hz; and no more samples are looked at.</summary>
    private const double Slowest = 0.2;
    private const int Most = 1000;

    /// <summary>True where it runs all along: what is left of the pressure beside its slow course ripples or beats.</summary>
    public static bool IsHeard(Channel pressure, double from, double to)
    {
        var (first, end) = (pressure.Time.IndexAtOrAfter(from), pressure.Time.IndexAtOrAfter(to));
        var kept = Enumerable.Range(first, end - first).Where(i => float.IsFinite(pressure.Samples[i])).Take(Most).ToList();
        if (kept.Count < 24)
            return false;
        double[] seconds = [.. kept.Select(i => pressure.Time[i] - from)];
        double[] values = [.. kept.Select(i => (double)pressure.Samples[i])];
        var level = Math.Abs(Statistics.Mean(values));
        var left = WithoutCourse(seconds, values);
        var steps = Steps * Statistics.LastPlace(pressure.Samples);
        if (Statistics.StandardDeviation(left) > Math.Max(Ripple * level, steps) && Turns(left) > left.Length / 4)
            return true;
        var (amplitude, stands) = Strongest(seconds, left);
        return amplitude > Math.Max(Beat * level, steps) && stands > Clear;
    }

    private static double[] WithoutCourse(double[] seconds, double[] values)
    {
        var course = new Parabola(seconds, values);
        return [.. values.Select((v, i) => v - course.At(seconds[i]))];
    }

    private static int Turns(double[] values)
    {
        var turns = 0;
        for (var i = 1; i + 1 < values.Length; i++)
            turns += (values[i] - values[i - 1]) * (values[i + 1] - values[i]) < 0 ? 1 : 0;
        return turns;
    }

    /// <summary>Amplitude of the strongest beat, and how many times the mean its square is.</summary>
    private static (double Amplitude, double Stands) Strongest(double[] seconds, double[] left)
    {
        var step = seconds[^1] / (seconds.Length - 1);
        List<double> squares = [];
        for (var hertz = Slowest; hertz < 0.5 / step; hertz += 0.5 / seconds[^1])
        {
            var (sine, cosine) = (0.0, 0.0);
            for (var i = 0; i < left.Length; i++)
            {
                var (s, c) = Math.SinCos(2 * Math.PI * hertz * seconds[i]);
                (sine, cosine) = (sine + s * left[i], cosine + c * left[i]);
            }

            squares.Add(sine * sine + cosine * cosine);
        }

        if (squares.Count == 0)
            return (0, 0);
        var most = squares.Max();
        return (2 * Math.Sqrt(most) / left.Length, most / Math.Max(1e-300, squares.Average()));
    }
}
