using Maschera.Core.Basics;
using Maschera.Core.Signals;

namespace Maschera.Core.Readings.Tracking;

/// <summary>How far actual may lie from desired.</summary>
/// <param name="Share">As a share of the desired value.</param>
/// <param name="Least">At least so much, in the channel's unit.</param>
/// <param name="Channel">A channel that gives it, for example a window that moves with fuel temperature; null without one.</param>
public sealed record TrackBand(double Share, double Least, Channel? Channel)
{
    private const double UsualShare = 0.1,
        UsualOfRange = 0.02;

    /// <summary>
    /// 10 % of the desired value or 2 % of its range, the larger; or as the person says: "5%" of the desired value, or "0.1" in
    /// its unit.
    /// </summary>
    /// <exception cref="ReadingException">The words make no sense.</exception>
    public static TrackBand Of(string? words, double range, Channel? channel)
    {
        if (words is null)
            return new TrackBand(UsualShare, UsualOfRange * range, channel);
        var percent = words.EndsWith('%');
        if (TypedNumber.Parse(percent ? words[..^1] : words) is not { } number || !(number > 0))
            throw new ReadingException($"--band takes a number or a percentage above zero, for example 0.1 or 5%, not '{words}'.");
        return percent ? new TrackBand(number / 100, 1e-9, channel) : new TrackBand(0, number, channel);
    }

    /// <summary>Half the width of the band at a time and desired value.</summary>
    public double At(double seconds, double desired) =>
        Channel is null ? Math.Max(Share * Math.Abs(desired), Least) : Math.Abs(Resampling.Held(Channel, seconds));
}
