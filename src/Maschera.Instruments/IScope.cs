using Maschera.Core.Expressions;

namespace Maschera.Instruments;

/// <summary>A probe that an instrument offers on an input.</summary>
/// <param name="Name">What it measures; the channel's name.</param>
/// <param name="Unit">The unit of its values.</param>
/// <param name="Range">Values reach from minus this to plus this.</param>
/// <param name="Role">What it is in a reading's words; null for nothing in particular.</param>
public sealed record Probe(string Name, string Unit, double Range, string? Role);

/// <summary>What an instrument can do.</summary>
/// <param name="Name">Its name for a person.</param>
/// <param name="MostChannels">Inputs that can run at once.</param>
/// <param name="Rates">Rates it can run at, samples a second and channel.</param>
/// <param name="Bits">Width of its converter, 8 to 16.</param>
/// <param name="Probes">The probes that can be chosen.</param>
public sealed record ScopeAbilities(string Name, int MostChannels, IReadOnlyList<double> Rates, int Bits, IReadOnlyList<Probe> Probes);

/// <summary>How an instrument is to run.</summary>
/// <param name="Rate">Samples a second and channel, one of <see cref="ScopeAbilities.Rates"/>.</param>
/// <param name="Probes">The probes, one a channel.</param>
public sealed record ScopeSettings(double Rate, IReadOnlyList<Probe> Probes)
{
    private const double FullScale = 32_768;

    /// <summary>Value of a converter count on a probe, in its unit.</summary>
    public double ValueOf(int probe, short count) => count / FullScale * Probes[probe].Range;
}

/// <summary>
/// Samples of all channels of a stretch, as converter counts from -32768 to 32767: value = count / 32768 * range of the
/// channel's probe. A converter of fewer bits fills the upper ones.
/// </summary>
/// <param name="First">Number of the block's first sample since the start; a jump means that samples were lost.</param>
/// <param name="Counts">One array a channel, all as long. They belong to the taker.</param>
public sealed record ScopeBlock(long First, short[][] Counts)
{
    /// <summary>Samples a channel.</summary>
    public int Length => Counts[0].Length;
}

/// <summary>
/// A measuring instrument that delivers samples as they are taken. A real device's adapter implements this and nothing
/// else; the live page, keeping and triggers work on whatever it delivers. See docs/instruments.md.
/// </summary>
public interface IScope
{
    ScopeAbilities Abilities { get; }

    /// <summary>
    /// Runs until <paramref name="cancel"/>, delivering blocks in order as they are taken, some ten to a hundred a
    /// second. The instrument's own clock paces it; it does not wait for the taker.
    /// </summary>
    /// <exception cref="ScopeException">The instrument refuses the settings or is lost.</exception>
    IAsyncEnumerable<ScopeBlock> RunAsync(ScopeSettings settings, CancellationToken cancel);
}

/// <summary>An instrument that can't run; its message is a sentence for the person.</summary>
public sealed class ScopeException(string message) : Exception(message);
