using Maschera.Core.Basics;
using Maschera.Core.Engines;
using Maschera.Core.Signals;

namespace Maschera.Core.Readings.RelativeCompression;

/// <summary>Which channel tells the load on the starter.</summary>
internal static class CrankingLoad
{
    /// <summary>What tells the load, the surest first.</summary>
    private static readonly string[] s_loads = ["current", "battery", "crank", "sound"];

    /// <summary>
    /// Samples a second from which a file may be a recording of sound, and how near to zero its middle lies, of its swing.
    /// </summary>
    private const double SoundRate = 6_000,
        SoundMiddle = 0.05;

    /// <summary>
    /// The only channel of a recording, without a unit and swinging about zero, is the sound: a starter's current and the battery's voltage
    /// stay on one side of it.
    /// </summary>
    public static ReadingRequest WithSound(ReadingRequest request) =>
        request.Channels.Count == 0 && request.Capture.Channels is [{ Unit: "" } only] && IsSound(only)
            ? request with
            {
                Channels = new Dictionary<string, string> { ["sound"] = only.Name },
            }
            : request;

    /// <summary>Mean samples a second.</summary>
    public static double Rate(Channel channel) => (channel.Time.Count - 1) / (channel.Time.End - channel.Time.Start);

    private static bool IsSound(Channel channel)
    {
        var samples = Array.ConvertAll(channel.Samples, v => (double)v);
        return Rate(channel) >= SoundRate && Math.Abs(Statistics.Mean(samples)) < SoundMiddle * Statistics.StandardDeviation(samples);
    }

    /// <summary>What the person named, else the surest there is; null where no channel tells the load.</summary>
    public static string? Role(Dictionary<string, Channel> channels, ReadingRequest request) =>
        s_loads.FirstOrDefault(request.Channels.ContainsKey) ?? s_loads.FirstOrDefault(channels.ContainsKey);

    /// <summary>The load by the channel of a role, or what is wrong with that.</summary>
    public static (CrankingSignal? Signal, Note? Refusal) Signal(Dictionary<string, Channel> channels, string? role, Engine engine) =>
        role switch
        {
            "current" => (
                CrankingSignal.FromCurrent(channels["current"]),
                new Note(
                    "no-cranking",
                    "The current never shows a starter at work. Check the clamp and its range, and start the capture before cranking."
                )
            ),
            "battery" => (
                CrankingSignal.FromBattery(channels["battery"]),
                new Note("no-cranking", "The battery voltage never shows a starter at work. Start the capture before cranking.")
            ),
            "crank" => (
                CrankingSignal.FromCrank(channels["crank"], engine),
                new Note(
                    "no-wheel",
                    "The crank signal shows no trigger wheel turning at cranking speed. Give the wheel in the engine, or capture the "
                        + "starter current."
                )
            ),
            "sound" => (
                CrankingSignal.FromSound(channels["sound"]),
                new Note(
                    "no-whine",
                    "No starter's whine is heard turning an engine. Record five seconds of cranking close to the starter, without "
                        + "talking, fuel or ignition disabled."
                )
            ),
            _ => (
                null,
                new Note(
                    "no-load-channel",
                    "No channel tells the load on the starter. Capture the starter current, the battery voltage, the crank sensor or "
                        + "the sound while cranking."
                )
            ),
        };
}
