using System.Numerics;
using MathNet.Numerics.IntegralTransforms;

namespace Maschera.Core.Signals;

/// <summary>
/// The whine of a starter in a recording of cranking: its gears and brushes sing at a fixed multiple of the crank's speed. The
/// ridge is found in short spectra by what it and its overtones stand out of the noise, as the best path that moves no faster
/// than a starter can (Viterbi), then again by all lines that sing along with it (<see cref="WhineLines"/>), and then sharpened by
/// the phase that is left when the path is turned back out of the sound.
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

    /// <summary>The whine and its overtones: so many to find it first, and so many for its course.</summary>
    private const int Overtones = 3,
        SharpOvertones = 5;

    /// <summary>A frame belongs to the whine from this share of the usual prominence.</summary>
    private const double BelongsFrom = 0.4;

    /// <summary>Logarithm of power over noise, added over overtones, below which nothing sings.</summary>
    private const double LeastProminence = 3.5;

    /// <summary>The noise is taken from every so many frames, and over so many bins to each side.</summary>
    private const int NoiseEvery = 4,
        NoiseBins = 25;

    /// <summary>How often the path is laid anew by what sings along with it.</summary>
    private const int Relearned = 2;

    /// <summary>Half width of what is kept beside the path on sharpening it, s of a Gaussian.</summary>
    private const double Sharp = 0.005;

    /// <summary>Bridged where the whine drowns for a moment, s.</summary>
    private const double Bridged = 0.12;

    /// <summary>The places a path may go through, Hz.</summary>
    private static readonly double[] s_hertz =
    [
        .. Enumerable.Range(0, (int)((HighestHz - LowestHz) / Fine) + 1).Select(i => LowestHz + i * Fine),
    ];

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
        var logs = Logs(spectra);
        var perHz = 2 * spectra[0].Length * plain.Time.Step;
        var prominence = Prominence(logs, perHz);
        var path = Path(prominence);
        if (Statistics.Quantile(Shown(prominence, path), 0.8) < LeastProminence)
            return null;
        for (var pass = 0; pass < Relearned; pass++)
            path = Path(prominence = ByLines(logs, perHz, prominence, path));
        var shown = Shown(prominence, path);
        var usual = Statistics.Quantile(shown, 0.8);
        var (first, _, length) = Runs.Longest(shown, s => s >= BelongsFrom * usual, (int)Math.Round(Bridged / Hop) - 1);
        if (length * Hop < 0.5)
            return null;
        var at = Enumerable.Range(first, length).Select(i => plain.Time.Start + i * Hop + Window / 2).ToArray();
        var rough = Resampling.Smooth([.. Enumerable.Range(first, length).Select(i => (float)s_hertz[path[i]])], 3);
        var course = Resampling.ToStep(new Channel("Whine", "Hz", TimeAxis.FromStamps(at), rough), step);
        var lines = new WhineLines(logs, perHz, s_hertz, path);
        var worth = Enumerable.Range(1, SharpOvertones).Select(lines.Worth).ToArray();
        for (var pass = 0; pass < 3; pass++)
            course = Sharpened(plain, course, worth);
        return course;
    }

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

    /// <summary>For each frame and bin the logarithm of power over noise.</summary>
    private static double[][] Logs(double[][] spectra)
    {
        var noise = Noise(spectra);
        var logs = new double[spectra.Length][];
        Parallel.For(
            0,
            logs.Length,
            i =>
            {
                logs[i] = new double[noise.Length];
                for (var bin = 0; bin < noise.Length; bin++)
                    logs[i][bin] = Math.Log(1 + spectra[i][bin] / noise[bin]);
            }
        );
        return logs;
    }

    /// <summary>The usual power beside what sings, at each frequency: the lower part over time, and over the frequencies about.</summary>
    private static double[] Noise(double[][] spectra)
    {
        var some = spectra.Where((_, i) => i % NoiseEvery == 0).ToArray();
        double[] usual = [.. Enumerable.Range(0, spectra[0].Length).Select(bin => Low(Array.ConvertAll(some, s => s[bin])))];
        double About(int bin) => Low(usual[Math.Max(0, bin - NoiseBins)..Math.Min(usual.Length, bin + NoiseBins + 1)]);
        return [.. usual.Select((_, bin) => Math.Max(1e-30, About(bin)))];

        static double Low(double[] values) => Statistics.Quantile(Statistics.Sorted(values), 0.4);
    }

    /// <summary>How far each place of the path and its overtones stand out of the noise, in each frame.</summary>
    private static double[][] Prominence(double[][] logs, double perHz)
    {
        var bins = Array.ConvertAll(
            s_hertz,
            f => Enumerable.Range(1, Overtones).Select(k => (int)Math.Round(k * f * perHz)).Where(bin => bin < logs[0].Length).ToArray()
        );
        return Array.ConvertAll(logs, frame => Array.ConvertAll(bins, of => Sum(frame, of)));

        static double Sum(double[] frame, int[] bins)
        {
            var sum = 0.0;
            foreach (var bin in bins)
                sum += frame[bin];
            return sum;
        }
    }

    /// <summary>The same by everything that sings along with the path so far, brought to the size it had there.</summary>
    private static double[][] ByLines(double[][] logs, double perHz, double[][] prominence, int[] path)
    {
        var lines = new WhineLines(logs, perHz, s_hertz, path);
        var found = new double[logs.Length][];
        Parallel.For(0, logs.Length, i => found[i] = lines.In(logs[i]));
        double Mean(double[][] of) => path.Select((p, i) => of[i][p]).Average();
        var scale = Mean(prominence) / Math.Max(1e-30, Mean(found));
        return Array.ConvertAll(found, frame => Array.ConvertAll(frame, v => scale * v));
    }

    private static float[] Shown(double[][] prominence, int[] path) =>
        Resampling.Smooth([.. path.Select((p, i) => (float)prominence[i][p])], (int)(0.06 / Hop));

    /// <summary>The path of the largest sum that moves no faster than a starter can.</summary>
    private static int[] Path(double[][] prominence)
    {
        var places = prominence[0].Length;
        var reach = Array.ConvertAll(s_hertz, f => 1 + (int)(Agility * f * Hop / Fine));
        var came = new int[prominence.Length][];
        var sums = (double[])prominence[0].Clone();
        for (var i = 1; i < prominence.Length; i++)
        {
            came[i] = new int[places];
            var next = new double[places];
            for (var p = 0; p < places; p++)
            {
                var (best, most) = (p, double.NegativeInfinity);
                var last = Math.Min(places - 1, p + reach[p]);
                for (var q = Math.Max(0, p - reach[p]); q <= last; q++)
                {
                    var sum = sums[q] - MovedCost * Math.Abs(p - q);
                    if (sum > most)
                        (best, most) = (q, sum);
                }

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
    /// fast as the path is off. The overtones are weighed by their power, what that is <paramref name="worth"/> and how many times they
    /// move.
    /// </summary>
    private static Channel Sharpened(Channel plain, Channel course, double[] worth)
    {
        var rate = 1 / plain.Time.Step;
        var (from, to) = (plain.Time.IndexAtOrAfter(course.Time.Start), plain.Time.IndexAtOrAfter(course.Time.End));
        var phase = new double[to - from];
        for (var i = 1; i < phase.Length; i++)
            phase[i] = phase[i - 1] + Math.Tau * Resampling.Linear(course, plain.Time[from + i]) / rate;
        var (moved, weight) = (new double[phase.Length], new double[phase.Length]);
        var left = new Complex[worth.Length][];
        Parallel.For(0, left.Length, k => left[k] = Turned(plain.Samples.AsSpan(from, phase.Length), phase, k + 1, (int)(Sharp * rate)));
        for (var k = 0; k < left.Length; k++)
        for (var i = 1; i + 1 < phase.Length; i++)
        {
            var turn = worth[k] * left[k][i + 1] * Complex.Conjugate(left[k][i - 1]);
            moved[i] += (k + 1) * turn.Imaginary;
            weight[i] += (k + 1) * (k + 1) * turn.Magnitude;
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
