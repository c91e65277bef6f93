using System.Runtime.CompilerServices;
using Maschera.App.Live;
using Maschera.Core.Expressions;
using Microsoft.AspNetCore.SignalR;

namespace Maschera.Web.Live;

/// <summary>What is new since the last frame.</summary>
/// <param name="Now">Seconds since the instrument's start.</param>
/// <param name="First">Number of the first column: column n spans from n to n+1 times the asked width.</param>
/// <param name="Columns">For each channel in turn, for each column least and greatest as float32, little-endian.</param>
/// <param name="FiredAt">Where the trigger fired, s.</param>
/// <param name="Running">False once the instrument has stopped.</param>
/// <param name="Error">Why it stopped.</param>
public sealed record LiveFrame(double Now, long First, byte[] Columns, double? FiredAt, bool Running, string? Error);

/// <summary>Streams the rolling picture. The session does not depend on the connection: who comes back goes on where they were.</summary>
public sealed class LiveHub(LiveService live) : Hub
{
    private const int FrameMilliseconds = 60;
    private const int MostColumns = 4_000;

    /// <summary>Columns of <paramref name="width"/> seconds from number <paramref name="from"/> on, as they fill.</summary>
    public async IAsyncEnumerable<LiveFrame> Follow(
        string session,
        double width,
        long from,
        [EnumeratorCancellation] CancellationToken cancel
    )
    {
        if (!(width > 0) || live.Find(session) is not { } found)
            throw new HubException("This instrument no longer runs. Start it again from the rig.");
        var next = Math.Max(from, 0);
        while (!cancel.IsCancellationRequested)
        {
            found.SeenAt = DateTime.UtcNow;
            var running = found.IsRunning;
            var end = (long)Math.Floor(found.Now / width);
            next = Math.Max(next, end - MostColumns);
            yield return new LiveFrame(
                found.Now,
                next,
                Columns(found, width, next, Math.Max(next, end)),
                found.FiredAt,
                running,
                found.Error
            );
            next = Math.Max(next, end);
            if (!running)
                yield break;
            await Task.Delay(FrameMilliseconds, cancel);
        }
    }

    /// <summary>Least and greatest of each column, channel after channel; NaN where nothing is held any more.</summary>
    internal static byte[] Columns(LiveSession session, double width, long first, long end)
    {
        var rate = session.Settings.Rate;
        return session.Packed(
            (int)(end - first),
            i =>
            {
                var from = (long)((first + i) * width * rate);
                return (from, Math.Max(from + 1, (long)((first + i + 1) * width * rate)));
            }
        );
    }
}
