using System.Numerics;
using MathNet.Numerics.IntegralTransforms;

namespace Maschera.Core.Signals;

/// <summary>
/// The whine of a starter in a recording of cranking: its gears and brushes sing at a fixed multiple of the crank's speed. The
/// ridge is found in short spectra by what it and its overtones stand out of the noise, as the best path that moves no faster
/// than a starter can (Viterbi), and then sharpened by the phase that is left when the path is turned back out of the sound.
/// </summary>
internal static class StarterWhine
{
    /// <summary>Samples a second the sound is brought to: three overtones of the highest whine.</summary>
    private const double WorkingRate = 8_000;

    /// <summary>Lowest and highest whine while the starter turns on, Hz; between a hump's crest and its foot it halves.</summary>
    private const double LowestHz = 120,
        HighestHz = 1_300;

    /// <summary>Steps of the path, s and Hz.</summary>
    private const double Hop = 0.004,
        Fine = 8;

    /// <summary>Length of a spectrum, s: a compression sweeps the whine by some 10,000 Hz a second.</summary>
    private const double Window = 0.024;

    /// <summary>A diesel slows before its compressions, and hastens behind them, by as many times its speed a second.</summary>
    private const double Agility = 42;

    /// <summary>What a step of movement costs against the logarithm of power over noise.</summary>
    private const double MovedCost = 0.12;

    /// <summary>Overtones looked at.</summary>
    private const int Overtones = 3;

    /// <summary>A frame belongs to the whine from this share of the usual prominence.</summary>
    private const double BelongsFrom = 0.4;

    /// <summary>Logarithm of power over noise, added over overtones, below which nothing sings.</summary>
    private const double LeastProminence = 3.5;

    /// <summary>Half width of what is kept beside the path on sharpening it, s of a Gaussian.</summary>
    private const double Sharp = 0.005;

    /// <summary>Bridged where the whine drowns for a moment, s.</summary>
    private const double Bridged = 0.12;

    /// <summary>The whine's course in Hz at an even step over its longest stretch; null where nothing sings for half a second.</summary>
    public static Channel? Course(Channel sound, double step)
    {
        var slow = Math.Max(1, (int)Math.Round(1 / (sound.Time.Step * WorkingRate)));
        var plain = Resampling.ToStep(sound, slow * sound.Time.Step);
        var middle = Statistics.Mean(Array.ConvertAll(plain.Samples, s => (double)s));
        plain = plain with { Samples = Array.ConvertAll(plain.Samples, s => (float)(s - middle)) };
        var spectra = Spectra(plain);
        if (spectra.Length < 0.5 / Hop)
            return null;
        var prominence = Prominence(spectra, Noise(spectra), 1 / plain.Time.Step);
        var path = Path(prominence);
        var shown = Resampling.Smooth([.. path.Select((f, i) => (float)prominence[i][f])], (int)(0.06 / Hop));
        var usual = Statistics.Quantile(shown, 0.8);
        if (usual < LeastProminence)
            return null;
        var (first, _, length) = Runs.Longest(shown, s => s >= BelongsFrom * usual, (int)Math.Round(Bridged / Hop) - 1);
        if (length * Hop < 0.5)
            return null;
        var at = Enumerable.Range(first, length).Select(i => plain.Time.Start + i * Hop + Window / 2).ToArray();
        var rough = Resampling.Smooth([.. Enumerable.Range(first, length).Select(i => (float)Frequency(path[i]))], 3);
        var course = Resampling.ToStep(new Channel("Whine", "Hz", TimeAxis.FromStamps(at), rough), step);
        for (var pass = 0; pass < 3; pass++)
            course = Sharpened(plain, course);
        return course;
    }

    private static double Frequency(int place) => LowestHz + place * Fine;

    private static double[][] Spectra(Channel plain)
    {
        var length = (int)(Window / plain.Time.Step);
        // Padded, so that the spectrum has a point near every step of the path.
        var padded = 1;
        while (padded < 4 * length)
            padded *= 2;
        var count = Math.Max(0, (int)((plain.Time.End - plain.Time.Start - Window) / Hop));
        var spectra = new double[count][];
        Parallel.For(0, count, i => spectra[i] = Spectrum(plain, (int)(i * Hop / plain.Time.Step), length, padded));
        return spectra;
    }

    private static double[] Spectrum(Channel plain, int from, int length, int padded)
    {
        var window = new Complex[padded];
        for (var n = 0; n < length; n++)
            window[n] = plain.Samples[from + n] * (0.5 - 0.5 * Math.Cos(Math.Tau * (n + 0.5) / length));
        Fourier.Forward(window, FourierOptions.NoScaling);
        return [.. window.Take(padded / 2).Select(c => c.Real * c.Real + c.Imaginary * c.Imaginary)];
    }

    /// <summary>The usual power where nothing sings, from the median of every frame's range of the whine and its overtones.</summary>
    private static double Noise(double[][] spectra)
    {
        var from = spectra[0].Length / 20;
        var levels = spectra.Select(s => Statistics.Quantile(Statistics.Sorted(s[from..]), 0.4)).ToArray();
        return Math.Max(1e-30, Statistics.Median(levels));
    }

    private static double[][] Prominence(double[][] spectra, double noise, double rate)
    {
        var places = (int)((HighestHz - LowestHz) / Fine) + 1;
        var perHz = 2 * spectra[0].Length / rate;
        return
        [
            .. spectra.Select(s =>
                Enumerable
                    .Range(0, places)
                    .Select(p =>
                        Enumerable
                            .Range(1, Overtones)
                            .Select(k => (int)Math.Round(k * Frequency(p) * perHz))
                            .Where(bin => bin < s.Length)
                            .Sum(bin => Math.Log(1 + s[bin] / noise))
                    )
                    .ToArray()
            ),
        ];
    }

    /// <summary>The path of the largest sum that moves no faster than a starter can.</summary>
    private static int[] Path(double[][] prominence)
    {
        var places = prominence[0].Length;
        var came = new int[prominence.Length][];
        var sums = (double[])prominence[0].Clone();
        for (var i = 1; i < prominence.Length; i++)
        {
            came[i] = new int[places];
            var next = new double[places];
            for (var p = 0; p < places; p++)
            {
                var best = p;
                var most = double.NegativeInfinity;
                var moved = 1 + (int)(Agility * Frequency(p) * Hop / Fine);
                for (var q = Math.Max(0, p - moved); q <= Math.Min(places - 1, p + moved); q++)
                    if (sums[q] - MovedCost * Math.Abs(p - q) is var sum && sum > most)
                        (best, most) = (q, sum);
                (came[i][p], next[p]) = (best, most + prominence[i][p]);
            }

            sums = next;
        }

        var path = new int[prominence.Length];
        path[^1] = Array.IndexOf(sums, sums.Max());
        for (var i = prominence.Length - 1; i > 0; i--)
            path[i - 1] = came[i][path[i]];
        return path;
    }

    /// <summary>
    /// The course put right by what it leaves: the sound turned back by the path's phase, once and for each overtone, moves as
    /// fast as the path is off. The overtones are weighed by their power and by how many times they move.
    /// </summary>
    private static Channel Sharpened(Channel plain, Channel course)
    {
        var rate = 1 / plain.Time.Step;
        var (from, to) = (plain.Time.IndexAtOrAfter(course.Time.Start), plain.Time.IndexAtOrAfter(course.Time.End));
        var phase = new double[to - from];
        for (var i = 1; i < phase.Length; i++)
            phase[i] = phase[i - 1] + Math.Tau * Resampling.Linear(course, plain.Time[from + i]) / rate;
        var (moved, weight) = (new double[phase.Length], new double[phase.Length]);
        for (var k = 1; k <= Overtones; k++)
        {
            var left = Turned(plain.Samples.AsSpan(from, phase.Length), phase, k, (int)(Sharp * rate));
            for (var i = 1; i + 1 < left.Length; i++)
            {
                var turn = left[i + 1] * Complex.Conjugate(left[i - 1]);
                moved[i] += k * turn.Imaginary;
                weight[i] += k * k * turn.Magnitude;
            }
        }

        var off = new float[phase.Length];
        for (var i = 1; i + 1 < off.Length; i++)
            off[i] = weight[i] > 0 ? (float)(moved[i] / weight[i] * rate / (2 * Math.Tau)) : 0;
        var put = new Channel("", "Hz", TimeAxis.Uniform(plain.Time[from], 1 / rate, off.Length), off);
        return course with { Samples = [.. course.Samples.Select((f, i) => f + (float)Resampling.Linear(put, course.Time[i]))] };
    }

    private static Complex[] Turned(ReadOnlySpan<float> sound, double[] phase, int overtone, int half)
    {
        var turned = new Complex[phase.Length];
        for (var i = 0; i < turned.Length; i++)
            turned[i] = sound[i] * Complex.FromPolarCoordinates(1, -overtone * phase[i]);
        // Three running means in a row are all but a Gaussian.
        for (var pass = 0; pass < 3; pass++)
            turned = RunningMean(turned, half);
        return turned;
    }

    private static Complex[] RunningMean(Complex[] values, int half)
    {
        var mean = new Complex[values.Length];
        var sum = Complex.Zero;
        for (var i = 0; i < values.Length + half; i++)
        {
            if (i < values.Length)
                sum += values[i];
            if (i > 2 * half)
                sum -= values[i - 2 * half - 1];
            if (i >= half)
                mean[i - half] = sum / (2 * half + 1);
        }

        return mean;
    }
}
