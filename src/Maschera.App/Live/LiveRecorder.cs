using Maschera.Core.Basics;
using Maschera.Core.Signals;
using Maschera.Instruments;
using Maschera.Store;
using Microsoft.Extensions.DependencyInjection;

namespace Maschera.App.Live;

/// <summary>A stretch on its way into a capture.</summary>
public sealed class LiveKeep(int id, string name)
{
    private int _captureId;

    public int Id { get; } = id;
    public string Name { get; } = name;
    public bool IsOver { get; internal set; }

    /// <summary>True for one that goes on until somebody finishes it.</summary>
    public bool IsRecording { get; init; }

    /// <summary>The capture once it is safely kept; null before.</summary>
    public int? CaptureId
    {
        get => Volatile.Read(ref _captureId) is var capture and > 0 ? capture : null;
        internal set => Volatile.Write(ref _captureId, value ?? 0);
    }

    public string? Error { get; internal set; }

    internal CancellationTokenSource Finish { get; } = new();
}

/// <summary>
/// Brings stretches of the ring into captures, beside the acquisition and never in its way: it reads what the instrument has
/// written, and is told where that ends.
/// </summary>
internal sealed class LiveRecorder(LiveSession session, IServiceScopeFactory scopes)
{
    private const string Recorded = "Live, recorded";

    private readonly List<LiveKeep> _keeps = [];
    private readonly Lock _gate = new();

    public IReadOnlyList<LiveKeep> Keeps
    {
        get
        {
            lock (_gate)
                return [.. _keeps];
        }
    }

    /// <summary>Keeps the samples from number <paramref name="first"/> up to <paramref name="end"/>, as they come in.</summary>
    public LiveKeep Keep(long first, long end, string name)
    {
        lock (_gate)
            return Begin(first, end, name);
    }

    /// <summary>Records from now until it is finished.</summary>
    /// <exception cref="ScopeException">A recording runs already.</exception>
    public LiveKeep Record()
    {
        lock (_gate)
            return _keeps.Any(k => k is { IsOver: false, IsRecording: true })
                ? throw new ScopeException("A recording runs already.")
                : Begin(session.Ring.Written, long.MaxValue, Recorded);
    }

    private LiveKeep Begin(long first, long end, string name)
    {
        var keep = new LiveKeep(_keeps.Count + 1, name) { IsRecording = end == long.MaxValue };
        _keeps.Add(keep);
        _ = Task.Run(() => Write(keep, first, end));
        return keep;
    }

    private void Write(LiveKeep keep, long first, long end)
    {
        var rate = session.Settings.Rate;
        List<Probe> probes = [.. session.Settings.Probes];
        if (session.Trials.Any)
            probes.Add(new(TrialMarks.Channel, "", 1, "command"));
        try
        {
            using var scope = scopes.CreateScope();
            var intake = scope.ServiceProvider.GetRequiredService<CaptureIntake>();
            keep.CaptureId = intake.Take(
                StoredCapture.Of(session.JobId, keep.Name, session.Conditions()),
                [.. probes.Select(p => new ChannelChoice(p.Name, p.Unit, 1, p.Role))],
                sink =>
                {
                    sink.Begin([.. probes.Select(p => new ChannelInfo(p.Name, p.Unit, 0, 1 / rate, p.Range))], 1, 0);
                    return Copy(keep, sink, probes.Count, first, end) > 0
                        ? session.Lost
                        : throw new ScopeException("Nothing came in yet, so nothing was kept.");
                }
            );
        }
        catch (Exception error)
        {
            keep.Error = error is ScopeException ? error.Message : $"Nothing was kept: {error.Message}";
        }
        finally
        {
            keep.IsOver = true;
        }
    }

    /// <summary>Copies samples as they come, until the end, the finish of the recording or the instrument's.</summary>
    private long Copy(LiveKeep keep, ICaptureSink sink, int channels, long first, long end)
    {
        var block = new SampleBlock(1, channels, SampleStore.BlockSamples);
        var counts = new short[block.Capacity];
        var at = first;
        while (at < end)
        {
            var finished = keep.Finish.IsCancellationRequested || !session.IsRunning;
            block.Count = (int)Math.Min(block.Capacity, Math.Min(end, session.Ring.Written) - at);
            if (block.Count < block.Capacity && at + block.Count < end && !finished)
            {
                Thread.Sleep(5);
                continue;
            }

            if (block.Count <= 0)
                break;
            Take(block, counts, at, at - first);
            sink.Append(block);
            at += block.Count;
        }

        return at - first;
    }

    private void Take(SampleBlock block, short[] counts, long at, long after)
    {
        for (var c = 0; c < session.Settings.Probes.Count; c++)
        {
            if (!session.Ring.TryCopy(c, at, counts.AsSpan(0, block.Count)))
                throw new ScopeException("Writing fell behind the instrument, so nothing was kept. Keep fewer seconds or lower the rate.");
            for (var i = 0; i < block.Count; i++)
                block.Values[c][i] = (float)session.Settings.ValueOf(c, counts[i]);
        }

        if (block.Values.Length > session.Settings.Probes.Count)
            session.Trials.Fill(at, block.Values[^1].AsSpan(0, block.Count));
        for (var i = 0; i < block.Count; i++)
            block.Times[0][i] = (after + i) / session.Settings.Rate;
    }
}
