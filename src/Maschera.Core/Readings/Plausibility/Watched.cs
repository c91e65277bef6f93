using System.Text.RegularExpressions;
using Maschera.Core.Logs;
using Maschera.Core.Quantities;
using Maschera.Core.Signals;

namespace Maschera.Core.Readings.Plausibility;

/// <summary>A channel with what is known of it: its quantity, its supply, whether it switches.</summary>
internal sealed partial class Watched
{
    /// <summary>Slower than this, s a sample, it is a log; faster a scope.</summary>
    private const double LogStep = 0.01;

    /// <summary>A sensor without a supply given is taken to be fed from this one where it reaches it, V.</summary>
    private const double UsualSupply = 5;

    /// <summary>Near a level is within this share of the swing between both.</summary>
    private const double NearRail = 0.15;

    /// <summary>A train of pulses is on either level for this share of the time at least.</summary>
    private const double LeastDuty = 0.05;

    /// <summary>A switch in a log has no more values than this.</summary>
    private const int MostStates = 6;

    private readonly double[] _sorted;

    public Watched(Channel channel, double? supply, IReadOnlyDictionary<string, string>? corrected)
    {
        Channel = channel;
        _sorted = Statistics.Sorted(Thinned(channel.Samples));
        Quantity = KnownQuantities.Of(channel.Name, channel.Unit, corrected);
        Switches = IsTwoLevel();
        var isVolts = channel.Unit is "V" && Quantity?.Name != KnownQuantities.Battery.Name;
        IsSupply =
            supply is not null
            && (
                SupplyNames().IsMatch(channel.Name)
                || !SignalNames().IsMatch(channel.Name)
                    && Math.Abs(Quantile(0.5) - supply.Value) < 0.05 * supply.Value
                    && Quantile(0.1) > 0.9 * supply.Value
            );
        Supply =
            supply
            ?? (
                isVolts
                && !Switches
                && SignalNames().IsMatch(channel.Name)
                && !SupplyNames().IsMatch(channel.Name)
                && Quantile(1) is > 0.2 and < 1.04 * UsualSupply
                    ? UsualSupply
                    : null
            );
    }

    public Channel Channel { get; }
    public string Name => Channel.Name;
    public float[] Samples => Channel.Samples;
    public TimeAxis Time => Channel.Time;

    /// <summary>What it carries; null where name and unit don't tell.</summary>
    public Quantity? Quantity { get; }

    /// <summary>Volts of the supply it is fed from, or is; null where there is none.</summary>
    public double? Supply { get; }

    /// <summary>True for the supply itself.</summary>
    public bool IsSupply { get; }

    /// <summary>True where it goes to and fro between two levels.</summary>
    public bool Switches { get; }

    public bool IsLog => Time.Step >= LogStep;

    /// <summary>The distance in which nearly all samples lie.</summary>
    public double Range => Quantile(0.999) - Quantile(0.001);

    /// <summary>A quantile of the samples.</summary>
    public double Quantile(double share) => Statistics.Quantile(_sorted, share);

    /// <summary>True where the quantity is this one.</summary>
    public bool Is(Quantity quantity) => Quantity?.Name == quantity.Name;

    /// <summary>Value in the first unit of its quantity.</summary>
    public double InQuantity(double value)
    {
        var to = UnitConversion
            .For(Channel.Unit)
            .FirstOrDefault(u => string.Equals(u.Unit, Quantity!.Units[0], StringComparison.OrdinalIgnoreCase));
        return to == default ? value : value * to.Factor + to.Offset;
    }

    /// <summary>The samples from one time up to another, s.</summary>
    public float[] Within(double from, double to)
    {
        var (a, b) = (Time.IndexAtOrAfter(from), Time.IndexAtOrAfter(to));
        return b > a ? Samples[a..b] : [];
    }

    /// <summary>So many samples on either side of a time, s, as far as there are.</summary>
    public float[] Around(double at, int beside)
    {
        var i = Time.IndexAtOrAfter(at);
        return Samples[Math.Max(0, i - beside)..Math.Min(Samples.Length, i + beside)];
    }

    /// <summary>Stretches in which samples fit, as first and last sample.</summary>
    public List<(int First, int Last)> Runs(Func<int, bool> fits, int bridge = 0)
    {
        var runs = new List<(int First, int Last)>();
        for (var i = 0; i < Samples.Length; i++)
        {
            if (!fits(i))
                continue;
            if (runs.Count > 0 && i - runs[^1].Last <= bridge + 1)
                runs[^1] = (runs[^1].First, i);
            else
                runs.Add((i, i));
        }

        return runs;
    }

    /// <summary>
    /// Most samples near one of two levels, between which it goes at least four times; in a log hardly any other value at all.
    /// </summary>
    private bool IsTwoLevel()
    {
        var rails = PulseTrain.FindRails(Samples);
        if (!(rails.Swing > 0) || IsLog && Samples.Distinct().Take(MostStates + 1).Count() > MostStates)
            return false;
        int low = 0,
            top = 0,
            all = 0,
            turns = 0;
        bool? high = null;
        foreach (var sample in Samples)
        {
            if (!float.IsFinite(sample))
                continue;
            all++;
            var share = (sample - rails.Low) / rails.Swing;
            if (Math.Abs(share) < NearRail)
                low++;
            if (Math.Abs(share - 1) < NearRail)
                top++;
            if (share is > 0.3 and < 0.7 || high == share > 0.5)
                continue;
            if (high is not null)
                turns++;
            high = share > 0.5;
        }

        // Short pulses are a signal of their own where they are high; low ones are spikes on a level.
        var lasts = Math.Min(low, top) > LeastDuty * all || rails.Swing > 0.4 * Math.Max(Math.Abs(rails.Low), Math.Abs(rails.High));
        return turns >= 4 && low + top > 0.85 * all && lasts;
    }

    private static IEnumerable<double> Thinned(float[] samples)
    {
        var stride = Math.Max(1, samples.Length / 200_000);
        for (var i = 0; i < samples.Length; i += stride)
            yield return samples[i];
    }

    [GeneratedRegex(
        "reference|supply|vref|v ref|versorgung|alimentation|alimentazione|alimentación",
        RegexOptions.IgnoreCase | RegexOptions.CultureInvariant
    )]
    private static partial Regex SupplyNames();

    [GeneratedRegex("signal|sensor|geber|fühler|capteur|sensore", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex SignalNames();
}
