using Maschera.Core.Signals;

namespace Maschera.Core.Readings.Misfire;

/// <summary>Firings with the missing ones told, and how clear those stand.</summary>
/// <param name="Missed">Which of the firings are missing.</param>
/// <param name="Below">What each gains beyond the usual, its neighbours' missing work put back, 0 the usual.</param>
/// <param name="Work">What a missing one lacks, in the same unit.</param>
/// <param name="Separation">That work in standard deviations of the sound firings.</param>
internal sealed record ToldFirings(bool[] Missed, double[] Below, double Work, double Separation);

/// <summary>
/// Decides anew which firings are missing once most of them are known: the work that missing neighbours lack is put back, so that
/// nothing has to be unmixed, and wide windows, whose speeds are known best, tell a firing from its neighbours as well as narrow
/// ones do. A firing of a cylinder that often misfires is believed missing sooner than one of a cylinder that never did (two
/// groups a cylinder, told by expectation and maximisation; Dempster, Laird and Rubin 1977). Repeated until no decision changes
/// (iterated conditional modes, Besag 1986).
/// </summary>
internal static class FiringFeedback
{
    private const int Passes = 24;

    /// <summary>A cylinder misfires at all where that explains its firings better by this much of log likelihood: three σ.</summary>
    private const double LeastGain = 4.5;

    /// <summary>Share of the work that a firing may take from a neighbour beyond what the kernel says, standard deviation.</summary>
    private const double MostBeyond = 0.1;

    /// <summary>Sound firings of a place from which its usual gain is told.</summary>
    private const int LeastSound = 3;

    /// <summary>Settles the decisions on gains over some spans.</summary>
    /// <param name="firings">Firings in time order, with their raw gains.</param>
    /// <param name="kernel">How much of a firing so many places away comes into a gain.</param>
    /// <param name="missed">The decisions to begin with.</param>
    /// <param name="wheelmates">The places whose teeth a place shares, itself among them.</param>
    /// <returns>Null where nothing is missing, or the decisions do not settle on a work that stands clear.</returns>
    public static ToldFirings? Settle(IReadOnlyList<Firing> firings, double[] kernel, bool[] missed, IReadOnlyList<int[]> wheelmates)
    {
        missed = (bool[])missed.Clone();
        for (var pass = 0; pass < Passes; pass++)
        {
            var lacking = Lacking(missed, kernel);
            if (Work(firings, missed, lacking, wheelmates) is not ({ } usual, var work) || !(work > 0))
                return null;
            var own = kernel[0] * work;
            // What neighbours lack is put back; what the firing itself lacks stays in.
            var below = firings.Select((f, i) => f.Gain - usual[f.Place] + work * (lacking[i] - (missed[i] ? kernel[0] : 0))).ToArray();
            var scatter = Scatter(below, missed);
            if (pass > 0)
                PutBack(below, firings, missed, kernel.Length, own, scatter);
            var now = Changed(missed, Weighed(firings, below, own, scatter, wheelmates.Count), kernel.Length);
            if (now.AsSpan().SequenceEqual(missed) || pass == Passes - 1)
                return Told(now, below, own);
            missed = now;
        }

        return null;
    }

    /// <summary>
    /// What missing firings take from their neighbours beyond the kernel, for a crank is no rigid disc and work has no fixed
    /// shape: least squares over the firings' distances, held to a tenth of the work, and put back.
    /// </summary>
    private static void PutBack(double[] below, IReadOnlyList<Firing> firings, bool[] missed, int reach, double own, double scatter)
    {
        var distances = Enumerable.Range(-reach, 2 * reach + 1).Where(d => d != 0).ToArray();
        var columns = Array.ConvertAll(
            distances,
            d => Centred(firings, [.. missed.Select((_, i) => i - d >= 0 && i - d < missed.Length && missed[i - d] ? 1.0 : 0)])
        );
        var left = Centred(firings, [.. below.Select((b, i) => missed[i] ? b + own : b)]);
        var ridge = Math.Pow(scatter / (MostBeyond * own), 2) / Math.Max(1, missed.Count(m => m));
        var found = LeastSquares.Linear(columns, left, ridge: ridge);
        for (var k = 0; k < distances.Length; k++)
        for (var i = 0; i < below.Length; i++)
            below[i] -= found[k] * columns[k][i];
    }

    /// <summary>Without the mean of every place.</summary>
    private static double[] Centred(IReadOnlyList<Firing> firings, double[] values)
    {
        var means = values
            .Select((v, i) => (firings[i].Place, v))
            .GroupBy(p => p.Place, p => p.v)
            .ToDictionary(g => g.Key, g => g.Average());
        return [.. values.Select((v, i) => v - means[firings[i].Place])];
    }

    private static ToldFirings? Told(bool[] missed, double[] below, double own)
    {
        var sound = below.Where((_, i) => !missed[i]).ToArray();
        if (sound.Length < LeastSound || Array.TrueForAll(missed, m => !m))
            return null;
        return new ToldFirings(missed, below, own, own / Scatter(below, missed));
    }

    private static double Scatter(double[] below, bool[] missed)
    {
        var sound = below.Where((_, i) => !missed[i]).DefaultIfEmpty(0).ToArray();
        return Math.Max(1e-12, Statistics.Scatter(sound, Statistics.Median(sound)));
    }

    /// <summary>Log of the odds that each firing is missing, cylinder by cylinder.</summary>
    private static double[] Weighed(IReadOnlyList<Firing> firings, double[] below, double work, double scatter, int places)
    {
        // Log of how much better a missing firing explains a gain than a sound one.
        var better = Array.ConvertAll(below, b => -work * (b + work / 2) / (scatter * scatter));
        var odds = new double[below.Length];
        for (var place = 0; place < places; place++)
        {
            var own = Enumerable.Range(0, below.Length).Where(i => firings[i].Place == place).ToArray();
            var share = Prevalence(own, better);
            foreach (var i in own)
                odds[i] = share > 0 ? better[i] + Math.Log(share / (1 - share)) : -Math.Abs(better[i]) - 1;
        }

        return odds;
    }

    /// <summary>
    /// The decisions after those changes that are surest among their neighbours': neighbours that change at once undo each other.
    /// </summary>
    private static bool[] Changed(bool[] missed, double[] odds, int reach)
    {
        bool Changes(int i) => missed[i] != odds[i] > 0;
        bool IsSurest(int i)
        {
            for (var k = Math.Max(0, i - reach); k <= Math.Min(missed.Length - 1, i + reach); k++)
                if (k != i && Changes(k) && Math.Abs(odds[k]) > Math.Abs(odds[i]))
                    return false;
            return true;
        }

        return [.. missed.Select((m, i) => Changes(i) && IsSurest(i) ? !m : m)];
    }

    /// <summary>The share of a cylinder's firings that are missing; 0 where none need be.</summary>
    private static double Prevalence(int[] own, double[] better)
    {
        if (own.Length == 0)
            return 0;
        var share = Math.Clamp(own.Count(i => better[i] > 0) / (double)own.Length, 0.5 / own.Length, 1 - 0.5 / own.Length);
        for (var pass = 0; pass < Passes; pass++)
            share = Math.Clamp(own.Average(i => Likely(better[i], share)), 0.1 / own.Length, 1 - 0.1 / own.Length);
        var gain = own.Sum(i =>
            better[i] > 0
                ? better[i] + Math.Log(share + (1 - share) * Math.Exp(-better[i]))
                : Math.Log(1 - share + share * Math.Exp(better[i]))
        );
        return gain > LeastGain ? share : 0;
    }

    private static double Likely(double better, double share) => 1 / (1 + (1 - share) / share * Math.Exp(-Math.Clamp(better, -500, 500)));

    /// <summary>How much of missing firings comes into every gain, in units of a firing's work.</summary>
    public static double[] Lacking(bool[] missed, double[] kernel)
    {
        var lacking = new double[missed.Length];
        for (var i = 0; i < missed.Length; i++)
            if (missed[i])
                for (var d = -kernel.Length + 1; d < kernel.Length; d++)
                    if (i + d >= 0 && i + d < lacking.Length)
                        lacking[i + d] += kernel[Math.Abs(d)];
        return lacking;
    }

    /// <summary>
    /// The usual gain of every place, the wheel's errors in it, and the work a missing firing lacks: least squares over firings of
    /// the same teeth, in which some are missing and some are not.
    /// </summary>
    private static (double[] Usual, double Work)? Work(
        IReadOnlyList<Firing> firings,
        bool[] missed,
        double[] lacking,
        IReadOnlyList<int[]> wheelmates
    )
    {
        var (gains, lacks) = (new double[wheelmates.Count], new double[wheelmates.Count]);
        var (counts, gone) = (new int[wheelmates.Count], new int[wheelmates.Count]);
        for (var i = 0; i < firings.Count; i++)
            foreach (var place in wheelmates[firings[i].Place])
            {
                gains[place] += firings[i].Gain;
                lacks[place] += lacking[i];
                counts[place]++;
                gone[place] += missed[i] ? 1 : 0;
            }

        double product = 0,
            square = 0;
        for (var i = 0; i < firings.Count; i++)
        {
            var place = firings[i].Place;
            // Where all are missing, or none, the usual gain of the place could be anything.
            if (gone[place] == 0 || counts[place] - gone[place] < LeastSound)
                continue;
            var off = lacking[i] - lacks[place] / counts[place];
            product += off * (firings[i].Gain - gains[place] / counts[place]);
            square += off * off;
        }

        if (!(square > 0))
            return null;
        var work = -product / square;
        return ([.. gains.Select((g, p) => counts[p] > 0 ? (g + work * lacks[p]) / counts[p] : 0)], work);
    }
}
