using System.Collections.Concurrent;
using Maschera.Core.Expressions;
using Maschera.Core.Signals;
using Maschera.Store;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.DependencyInjection;
using Microsoft.Extensions.Hosting;

namespace Maschera.App;

/// <summary>A channel to be worked out.</summary>
/// <param name="Name">Its name.</param>
/// <param name="Unit">Its unit; null for the one that follows from the expression.</param>
/// <param name="Text">The expression.</param>
/// <param name="IsLaneCopy">True for a smoothed copy that a lane draws.</param>
/// <param name="Under">The capture laid underneath: its channels are named with "other " in front.</param>
public sealed record DerivedChannel(string Name, string? Unit, string Text, bool IsLaneCopy = false, Comparison? Under = null);

/// <summary>A channel being worked out.</summary>
public sealed class DeriveRun
{
    private double _share;

    internal CancellationTokenSource Cancel { get; } = new();
    internal Task Work { get; set; } = Task.CompletedTask;

    /// <summary>Share done, 0 to 1.</summary>
    public double Share
    {
        get => Volatile.Read(ref _share);
        internal set => Volatile.Write(ref _share, value);
    }

    public int? ChannelId { get; internal set; }
    public string? Error { get; internal set; }
    public bool IsOver => Work.IsCompleted;

    /// <summary>Stops it; nothing is kept.</summary>
    public void Stop() => Cancel.Cancel();
}

/// <summary>Works expressions out beside the requests, and keeps the channels with their capture.</summary>
public sealed class DeriveService(IServiceScopeFactory scopes)
{
    /// <summary>Derived channels a capture may carry.</summary>
    private const int MostDerived = 64;

    private readonly ConcurrentDictionary<string, DeriveRun> _runs = new();

    public DeriveRun? Find(string token) => _runs.GetValueOrDefault(token);

    /// <summary>Starts; the token names the run.</summary>
    /// <exception cref="ExpressionException">The expression can't be understood.</exception>
    public string Start(int captureId, DerivedChannel wanted)
    {
        // Read once here, so that wrong words are answered at once.
        using (var scope = scopes.CreateScope())
            Prepare(scope.ServiceProvider, captureId, wanted);
        var token = Guid.NewGuid().ToString("N");
        var run = new DeriveRun();
        foreach (var (old, _) in _runs.Where(r => r.Value.IsOver).OrderBy(r => r.Value.Work.Id).SkipLast(50))
            _runs.TryRemove(old, out _);
        _runs[token] = run;
        run.Work = Task.Run(() => Work(captureId, wanted, run));
        return token;
    }

    private void Work(int captureId, DerivedChannel wanted, DeriveRun run)
    {
        try
        {
            using var scope = scopes.CreateScope();
            var expression = Prepare(scope.ServiceProvider, captureId, wanted);
            var db = scope.ServiceProvider.GetRequiredService<MascheraDb>();
            var jobId = db.Captures.Where(c => c.Id == captureId).Select(c => c.JobId).First();
            using var writer = new CaptureWriter(db, new StoredCapture { JobId = jobId, Name = wanted.Name });
            writer.Begin([new ChannelInfo(wanted.Name, wanted.Unit ?? expression.Unit, 0)], 1, 0);
            var block = new SampleBlock(1, 1, SampleStore.BlockSamples);
            expression.Evaluate(
                (times, values) =>
                {
                    block.Count = values.Length;
                    times.Span.CopyTo(block.Times[0]);
                    values.Span.CopyTo(block.Values[0]);
                    writer.Append(block);
                },
                new Progress(run),
                run.Cancel.Token
            );
            run.ChannelId = writer.CompleteInto(captureId, expression.Axis, wanted.Text, wanted.IsLaneCopy).Id;
        }
        catch (OperationCanceledException)
        {
            run.Error = "Stopped; nothing was kept.";
        }
        catch (Exception error)
            when (error is ExpressionException or InvalidOperationException or DbUpdateException or Microsoft.Data.Sqlite.SqliteException)
        {
            run.Error = error.Message;
        }
    }

    private static Expression Prepare(IServiceProvider services, int captureId, DerivedChannel wanted)
    {
        var db = services.GetRequiredService<MascheraDb>();
        var samples = services.GetRequiredService<SampleStore>();
        var channels = db.Channels.AsNoTracking().Where(c => c.CaptureId == captureId && !c.IsLaneCopy).OrderBy(c => c.Ordinal).ToList();
        if (wanted.Name.Length is 0 or > 100)
            throw new ExpressionException("Give the channel a name of up to 100 letters.");
        if (!wanted.IsLaneCopy && channels.Any(c => string.Equals(c.Name, wanted.Name, StringComparison.OrdinalIgnoreCase)))
            throw new ExpressionException($"There is a channel '{wanted.Name}' already; choose another name.");
        if (channels.Count(c => c.Expression is not null) >= MostDerived)
            throw new ExpressionException($"The capture carries {MostDerived} derived channels already; delete one first.");
        var readers = channels.Select(samples.Reader).ToList();
        if (wanted.Under is { } under)
            readers.AddRange(
                db.Channels.AsNoTracking()
                    .Where(c => c.CaptureId == under.Capture && !c.IsLaneCopy)
                    .ToList()
                    .Select(c => new MovedReader(samples.Reader(c), "other " + c.Name, under.Shift, under.Stretch))
            );
        return Expression.Read(wanted.Text, readers);
    }

    private sealed class Progress(DeriveRun run) : IProgress<double>
    {
        public void Report(double value) => run.Share = value;
    }
}
