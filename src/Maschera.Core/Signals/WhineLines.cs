namespace Maschera.Core.Signals;

/// <summary>
/// Everything in a recording of cranking that rises and falls with the starter: gear mesh, its overtones, brushes and pinion, each at a
/// fixed multiple of the whine. Learned along a path that is right most of the time, they tell where it jumped to another line: there
/// the rest does not sing along.
/// </summary>
internal sealed class WhineLines
{
    /// <summary>Multiples of the whine looked at, and the step between them as a share.</summary>
    private const double LowestMultiple = 0.35,
        HighestMultiple = 6,
        Step = 0.015;

    /// <summary>A line stands out of its neighbourhood of so many steps to each side.</summary>
    private const int Neighbourhood = 16;

    private static readonly double[] s_multiples =
    [
        .. Enumerable.Range(0, (int)(Math.Log(HighestMultiple / LowestMultiple) / Step)).Select(i => LowestMultiple * Math.Exp(i * Step)),
    ];

    /// <summary>Power beside a line, against the noise, is at least this; and what an overtone that does not show is worth.</summary>
    private const double LeastBeside = 1e-3,
        LeastWorth = 1e-4;

    /// <summary>For each place of a path the bin of every multiple, as far as the spectra reach.</summary>
    private readonly int[][] _bins;

    /// <summary>Mean logarithm at each multiple, NaN where hardly a spectrum reaches it; and how far it stands out.</summary>
    private readonly double[] _mean,
        _weights;

    /// <summary>Learns the lines.</summary>
    /// <param name="logs">For each frame and bin, the logarithm of power over noise.</param>
    /// <param name="perHz">Bins a hertz.</param>
    /// <param name="hertz">The whine's frequency at each place a path may go through.</param>
    /// <param name="path">The place in each frame.</param>
    public WhineLines(double[][] logs, double perHz, double[] hertz, int[] path)
    {
        _bins = Array.ConvertAll(
            hertz,
            f => s_multiples.Select(m => (int)(m * f * perHz + 0.5)).TakeWhile(bin => bin < logs[0].Length).ToArray()
        );
        _mean = new double[s_multiples.Length];
        var shown = new int[_mean.Length];
        for (var i = 0; i < logs.Length; i++)
        {
            var bins = _bins[path[i]];
            for (var m = 0; m < bins.Length; m++)
                (_mean[m], shown[m]) = (_mean[m] + logs[i][bins[m]], shown[m] + 1);
        }

        for (var m = 0; m < _mean.Length; m++)
            _mean[m] = shown[m] > logs.Length / 2 ? _mean[m] / shown[m] : double.NaN;
        _weights = [.. _mean.Select((v, m) => double.IsNaN(v) ? 0 : v - Around(m))];
    }

    private double Around(int at) =>
        _mean[Math.Max(0, at - Neighbourhood)..Math.Min(_mean.Length, at + Neighbourhood + 1)].Where(double.IsFinite).Average();

    /// <summary>
    /// What an overtone is worth for telling the speed, to be multiplied with its power: the share of the line in that, over the noise
    /// beside it.
    /// </summary>
    public double Worth(int overtone)
    {
        var at = (int)Math.Round(Math.Log(overtone / LowestMultiple) / Step);
        if (!double.IsFinite(_mean[at]))
            return LeastWorth;
        var (line, beside) = (Math.Exp(_mean[at]) - 1, Math.Exp(Around(at)) - 1);
        return Math.Max(LeastWorth, (line - beside) / (line * Math.Max(LeastBeside, beside)));
    }

    /// <summary>For each place, how far a frame shows all lines at once; 0 where nothing sings.</summary>
    public double[] In(double[] frame)
    {
        var found = new double[_bins.Length];
        for (var p = 0; p < found.Length; p++)
        {
            var bins = _bins[p];
            var sum = 0.0;
            for (var m = 0; m < bins.Length; m++)
                sum += _weights[m] * frame[bins[m]];
            found[p] = sum;
        }

        return found;
    }
}
