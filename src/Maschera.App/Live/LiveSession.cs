using System.Runtime.InteropServices;
using Maschera.Core.Basics;
using Maschera.Instruments;
using Maschera.Store;
using Microsoft.Extensions.DependencyInjection;

namespace Maschera.App.Live;

/// <summary>One instrument running: what it delivers is held in a ring, watched by a trigger, and kept on demand.</summary>
public sealed class LiveSession : IDisposable
{
    /// <summary>A stretch to be kept must not be overtaken by the instrument while it is written: so much stays free.</summary>
    private const double SpareShare = 0.1;

    private readonly CancellationTokenSource _stop = new();
    private readonly List<Note> _lost = [];
    private readonly TriggerWatch _trigger;
    private readonly LiveRecorder _recorder;
    private readonly Task _run;

    public LiveSession(int jobId, IScope scope, ScopeSettings settings, Func<Conditions> conditions, IServiceScopeFactory scopes)
    {
        (JobId, Scope, Settings, Conditions) = (jobId, scope, settings, conditions);
        Ring = new LiveRing(settings.Probes.Count);
        _trigger = new TriggerWatch(settings);
        _recorder = new LiveRecorder(this, scopes);
        _run = Task.Run(RunAsync);
    }

    public string Id { get; } = Guid.NewGuid().ToString("N");
    public int JobId { get; }
    public IScope Scope { get; }
    public ScopeSettings Settings { get; }
    public LiveRing Ring { get; }

    /// <summary>Trials that somebody marks by a key.</summary>
    public TrialMarks Trials { get; } = new();

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
    public double? FiredAt => _trigger.FiredAt;

    public ArmedTrigger? Armed => _trigger.Armed;
    public IReadOnlyList<LiveKeep> Keeps => _recorder.Keeps;

    /// <summary>What the instrument lost until now.</summary>
    public IReadOnlyList<Note> Lost
    {
        get
        {
            lock (_lost)
                return [.. _lost];
        }
    }

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
            (pairs[at], pairs[at + 1]) =
                first >= 0 && Ring.Extremes(c, first, end) is var (low, high)
                    ? ((float)Settings.ValueOf(c, low), (float)Settings.ValueOf(c, high))
                    : (float.NaN, float.NaN);
        }

        return MemoryMarshal.AsBytes<float>(pairs).ToArray();
    }

    /// <summary>Sets or clears the trigger.</summary>
    /// <exception cref="ScopeException">It names no channel, or can't be kept so long.</exception>
    public void Arm(ArmedTrigger? trigger)
    {
        if (trigger is { } t)
        {
            if (t.Channel < 0 || t.Channel >= Settings.Probes.Count)
                throw new ScopeException("The trigger names a channel that does not run.");
            if (!double.IsFinite(t.Setting.Level) || !(t.Setting.Width >= 0))
                throw new ScopeException("The trigger's level and width are numbers.");
            if (t.Action == TriggerAction.Keep && !(t.KeepSeconds > 0 && t.KeepSeconds <= HeldSeconds))
                throw new ScopeException($"At this rate {HeldSeconds:0} s at most can be kept.");
        }

        _trigger.Arm(trigger);
    }

    /// <summary>Keeps the last seconds.</summary>
    /// <exception cref="ScopeException">So much is not held.</exception>
    public LiveKeep KeepLast(double seconds)
    {
        if (!(seconds > 0))
            throw new ScopeException("Say how many seconds are to be kept.");
        if (seconds > HeldSeconds)
            throw new ScopeException($"At this rate the last {HeldSeconds:0} s are held. Keep fewer seconds, or record.");
        var end = Ring.Written;
        var first = Math.Max(0, end - (long)(seconds * Settings.Rate));
        return _recorder.Keep(first, end, $"Live, the last {Math.Min(seconds, Now):0.#} s");
    }

    /// <summary>Records from now until it is finished.</summary>
    /// <exception cref="ScopeException">A recording runs already.</exception>
    public LiveKeep Record() => _recorder.Record();

    /// <summary>Begins or ends a trial now.</summary>
    /// <exception cref="ScopeException">A recording runs that began without trials: they would be missing in it.</exception>
    public void Trial(bool on)
    {
        if (!Trials.Any && Keeps.Any(k => !k.IsOver && k.IsRecording))
            throw new ScopeException("This recording began before the first trial and has no place for them. Finish it and start it anew.");
        Trials.Set(on, Ring.Written);
    }

    /// <summary>Finishes a recording: what came in until now is kept.</summary>
    public void Finish(int keep)
    {
        foreach (var found in Keeps.Where(k => k.Id == keep))
            found.Finish.Cancel();
    }

    /// <summary>Stops the instrument; recordings are finished and kept.</summary>
    public async Task StopAsync()
    {
        foreach (var keep in Keeps)
            await keep.Finish.CancelAsync();
        await _stop.CancelAsync();
        await _run;
        while (Keeps.Any(k => !k.IsOver))
            await Task.Delay(20);
    }

    public void Dispose() => _stop.Dispose();

    /// <summary>Takes what the instrument delivers until it ends; whatever ends it is said here and stops nobody else.</summary>
    private async Task RunAsync()
    {
        try
        {
            await foreach (var block in Scope.RunAsync(Settings, _stop.Token))
                Take(block);
        }
        catch (OperationCanceledException) when (_stop.IsCancellationRequested) { }
        catch (Exception error)
        {
            Error = error is ScopeException ? error.Message : $"The instrument broke off: {error.Message} Start it again from the rig.";
        }
    }

    private void Take(ScopeBlock block)
    {
        if (block.First > Ring.Written)
            FillLost(block);
        Ring.Append(block.Counts);
        if (_trigger.Feed(block) is not var (armed, at) || armed.Action != TriggerAction.Keep)
            return;
        var half = (long)(armed.KeepSeconds / 2 * Settings.Rate);
        var place = (long)(at * Settings.Rate);
        _recorder.Keep(Math.Max(0, place - half), place + half, $"Live, triggered on {Settings.Probes[armed.Channel].Name}");
    }

    /// <summary>What the instrument lost is bridged by its last value, and said.</summary>
    private void FillLost(ScopeBlock block)
    {
        var lost = block.First - Ring.Written;
        lock (_lost)
            _lost.Add(
                new Note(
                    "lost-samples",
                    $"The instrument lost {lost} samples at {Now:0.###} s since its start; they stand at the last value."
                )
            );
        while (Ring.Written < block.First)
        {
            var count = (int)Math.Min(LiveRing.Group, block.First - Ring.Written);
            Ring.Append([.. block.Counts.Select(counts => Enumerable.Repeat(counts[0], count).ToArray())]);
        }
    }
}
