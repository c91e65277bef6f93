using System.Runtime.InteropServices;
using Maschera.Core.Readings;
using Maschera.Core.Signals;
using Maschera.Rig.Instruments;
using Maschera.Store;

namespace Maschera.Web.Services.Live;

/// <summary>What happens once a trigger has fired.</summary>
public enum TriggerAction
{
    /// <summary>The picture stands still there.</summary>
    Hold,

    /// <summary>The stretch round it is kept as a capture.</summary>
    Keep,
}

/// <summary>A trigger on a channel of the session.</summary>
public sealed record ArmedTrigger(int Channel, TriggerSetting Setting, TriggerAction Action, double KeepSeconds);

/// <summary>A stretch on its way into a capture.</summary>
public sealed class LiveKeep(int id, string name)
{
    private int _captureId;

    public int Id { get; } = id;
    public string Name { get; } = name;
    public bool IsOver { get; internal set; }

    /// <summary>The capture once it is safely kept; null before.</summary>
    public int? CaptureId
    {
        get => Volatile.Read(ref _captureId) is var capture and > 0 ? capture : null;
        internal set => Volatile.Write(ref _captureId, value ?? 0);
    }

    public string? Error { get; internal set; }

    internal CancellationTokenSource Finish { get; } = new();
}

/// <summary>One instrument running: what it delivers is held in a ring, watched by a trigger, and kept on demand.</summary>
public sealed class LiveSession : IDisposable
{
    /// <summary>A stretch to be kept must not be overtaken by the instrument while it is written: so much stays free.</summary>
    private const double SpareShare = 0.1;

    private readonly CancellationTokenSource _stop = new();
    private readonly List<LiveKeep> _keeps = [];
    private readonly List<Note> _lost = [];
    private readonly Lock _gate = new();
    private readonly IServiceScopeFactory _scopes;
    private readonly Task _run;
    private Trigger? _watch;
    private ArmedTrigger? _armed;
    private double _firedAt = double.NaN;
    private float[] _watched = [];

    public LiveSession(int jobId, IScope scope, ScopeSettings settings, Func<Conditions> conditions, IServiceScopeFactory scopes)
    {
        (JobId, Scope, Settings, Conditions, _scopes) = (jobId, scope, settings, conditions, scopes);
        Ring = new LiveRing(settings.Probes.Count);
        _run = Task.Run(RunAsync);
    }

    public string Id { get; } = Guid.NewGuid().ToString("N");
    public int JobId { get; }
    public IScope Scope { get; }
    public ScopeSettings Settings { get; }
    public LiveRing Ring { get; }

    /// <summary>Tells what engine and person do, for the captures kept.</summary>
    public Func<Conditions> Conditions { get; }

    /// <summary>When somebody last looked.</summary>
    public DateTime SeenAt { get; set; } = DateTime.UtcNow;

    public string? Error { get; private set; }
    public bool IsRunning => !_run.IsCompleted;

    /// <summary>Seconds since the start.</summary>
    public double Now => Ring.Written / Settings.Rate;

    /// <summary>The longest stretch that can be kept from the past, s.</summary>
    public double HeldSeconds => Ring.Capacity * (1 - SpareShare) / Settings.Rate;

    /// <summary>Where the trigger fired, s; null where it has not.</summary>
    public double? FiredAt => double.IsNaN(Volatile.Read(ref _firedAt)) ? null : Volatile.Read(ref _firedAt);

    public ArmedTrigger? Armed => _armed;

    public IReadOnlyList<LiveKeep> Keeps
    {
        get
        {
            lock (_gate) return [.. _keeps];
        }
    }

    /// <summary>Value of a converter count on a channel.</summary>
    public double ValueOf(int channel, short count) => count / 32_768.0 * Settings.Probes[channel].Range;

    /// <summary>
    /// For each channel in turn, for each column least and greatest as float32, little-endian; NaN where nothing is
    /// held. <paramref name="samples"/> gives the samples of a column: the first, and the one behind the last.
    /// </summary>
    public byte[] Packed(int columns, Func<int, (long First, long End)> samples)
    {
        var channels = Settings.Probes.Count;
        var pairs = new float[2 * columns * channels];
        for (var c = 0; c < channels; c++)
            for (var i = 0; i < columns; i++)
            {
                var (first, end) = samples(i);
                var at = 2 * (c * columns + i);
                (pairs[at], pairs[at + 1]) = first >= 0 && Ring.Extremes(c, first, end) is var (low, high) ? ((float)ValueOf(c, low), (float)ValueOf(c, high)) : (float.NaN, float.NaN);
            }

        return MemoryMarshal.AsBytes<float>(pairs).ToArray();
    }

    /// <summary>Sets or clears the trigger.</summary>
    /// <exception cref="ScopeException">It names no channel, or can't be kept so long.</exception>
    public void Arm(ArmedTrigger? trigger)
    {
        if (trigger is { } t)
        {
            if (t.Channel < 0 || t.Channel >= Settings.Probes.Count) throw new ScopeException("The trigger names a channel that does not run.");
            if (!double.IsFinite(t.Setting.Level) || !(t.Setting.Width >= 0)) throw new ScopeException("The trigger's level and width are numbers.");
            if (t.Action == TriggerAction.Keep && !(t.KeepSeconds > 0 && t.KeepSeconds <= HeldSeconds)) throw new ScopeException($"At this rate {HeldSeconds:0} s at most can be kept.");
        }

        lock (_gate)
        {
            Volatile.Write(ref _firedAt, double.NaN);
            _armed = trigger;
            _watch = trigger is null ? null : new Trigger(trigger.Setting, 1 / Settings.Rate);
        }
    }

    /// <summary>Keeps the last seconds.</summary>
    /// <exception cref="ScopeException">So much is not held.</exception>
    public LiveKeep KeepLast(double seconds)
    {
        if (!(seconds > 0)) throw new ScopeException("Say how many seconds are to be kept.");
        if (seconds > HeldSeconds) throw new ScopeException($"At this rate the last {HeldSeconds:0} s are held. Keep fewer seconds, or record.");
        var end = Ring.Written;
        return Keep(Math.Max(0, end - (long)(seconds * Settings.Rate)), end, $"Live, the last {Math.Min(seconds, Now):0.#} s");
    }

    /// <summary>Records from now until it is finished.</summary>
    public LiveKeep Record()
    {
        lock (_gate)
            if (_keeps.Any(k => !k.IsOver && k.Name == "Live, recorded")) throw new ScopeException("A recording runs already.");
        return Keep(Ring.Written, long.MaxValue, "Live, recorded");
    }

    /// <summary>Finishes a recording: what came in until now is kept.</summary>
    public void Finish(int keep)
    {
        foreach (var found in Keeps.Where(k => k.Id == keep)) found.Finish.Cancel();
    }

    /// <summary>Stops the instrument; recordings are finished and kept.</summary>
    public async Task StopAsync()
    {
        foreach (var keep in Keeps) await keep.Finish.CancelAsync();
        await _stop.CancelAsync();
        await _run;
        while (Keeps.Any(k => !k.IsOver)) await Task.Delay(20);
    }

    public void Dispose() => _stop.Dispose();

    private async Task RunAsync()
    {
        try
        {
            await foreach (var block in Scope.RunAsync(Settings, _stop.Token))
            {
                if (block.First > Ring.Written) FillLost(block);
                Ring.Append(block.Counts);
                Watch(block);
            }
        }
        catch (ScopeException error)
        {
            Error = error.Message;
        }
    }

    /// <summary>What the instrument lost is bridged by its last value, and said.</summary>
    private void FillLost(ScopeBlock block)
    {
        var lost = block.First - Ring.Written;
        lock (_gate) _lost.Add(new Note("lost-samples", $"The instrument lost {lost} samples at {Now:0.###} s since its start; they stand at the last value."));
        while (Ring.Written < block.First)
        {
            var count = (int)Math.Min(LiveRing.Group, block.First - Ring.Written);
            Ring.Append([.. block.Counts.Select(counts => Enumerable.Repeat(counts[0], count).ToArray())]);
        }
    }

    private void Watch(ScopeBlock block)
    {
        lock (_gate)
        {
            if (_watch is null || _armed is not { } armed) return;
            if (_watched.Length != block.Length) _watched = new float[block.Length];
            for (var i = 0; i < block.Length; i++) _watched[i] = (float)ValueOf(armed.Channel, block.Counts[armed.Channel][i]);
            if (_watch.Feed(_watched, block.First / Settings.Rate) is not { } at) return;
            _watch = null;
            Volatile.Write(ref _firedAt, at);
            if (armed.Action != TriggerAction.Keep) return;
            var half = (long)(armed.KeepSeconds / 2 * Settings.Rate);
            var place = (long)(at * Settings.Rate);
            Keep(Math.Max(0, place - half), place + half, $"Live, triggered on {Settings.Probes[armed.Channel].Name}");
        }
    }

    private LiveKeep Keep(long first, long end, string name)
    {
        lock (_gate)
        {
            var keep = new LiveKeep(_keeps.Count + 1, name);
            _keeps.Add(keep);
            _ = Task.Run(() => Write(keep, first, end));
            return keep;
        }
    }

    private void Write(LiveKeep keep, long first, long end)
    {
        try
        {
            using var scope = _scopes.CreateScope();
            var db = scope.ServiceProvider.GetRequiredService<MascheraDb>();
            var capture = new StoredCapture { JobId = JobId, Name = keep.Name, TakenAt = DateTime.UtcNow, Conditions = Conditions() };
            using (var writer = new CaptureWriter(db, capture, [.. Settings.Probes.Select(p => new ChannelChoice(p.Name, p.Unit, 1, p.Role))]))
            {
                writer.Begin([.. Settings.Probes.Select(p => new ChannelInfo(p.Name, p.Unit, 0, 1 / Settings.Rate))], 1, 0);
                if (Copy(keep, writer, first, end) == 0) throw new ScopeException("Nothing came in yet, so nothing was kept.");
                lock (_gate) writer.Complete([.. _lost]);
            }

            keep.CaptureId = capture.Id;
            scope.ServiceProvider.GetRequiredService<ReadingService>().MakeObvious(capture.Id);
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

    /// <summary>Copies samples into the capture as they come, until the end, the finish of the recording or the instrument's.</summary>
    private long Copy(LiveKeep keep, CaptureWriter writer, long first, long end)
    {
        var block = new SampleBlock(1, Settings.Probes.Count, SampleStore.BlockSamples);
        var counts = new short[block.Capacity];
        var at = first;
        while (at < end)
        {
            var finished = keep.Finish.IsCancellationRequested || !IsRunning;
            block.Count = (int)Math.Min(block.Capacity, Math.Min(end, Ring.Written) - at);
            if (block.Count < block.Capacity && at + block.Count < end && !finished)
            {
                Thread.Sleep(5);
                continue;
            }

            if (block.Count == 0) break;
            for (var c = 0; c < Settings.Probes.Count; c++)
            {
                if (!Ring.TryCopy(c, at, counts.AsSpan(0, block.Count))) throw new ScopeException("Writing fell behind the instrument, so nothing was kept. Keep fewer seconds or lower the rate.");
                for (var i = 0; i < block.Count; i++) block.Values[c][i] = (float)ValueOf(c, counts[i]);
            }

            for (var i = 0; i < block.Count; i++) block.Times[0][i] = (at - first + i) / Settings.Rate;
            writer.Append(block);
            at += block.Count;
        }

        return at - first;
    }
}
