using System.Collections.Concurrent;
using System.Text.Json;
using Maschera.Formats;
using Maschera.Store;
using Microsoft.Extensions.DependencyInjection;
using Microsoft.Extensions.Hosting;

namespace Maschera.App;

/// <summary>A file that was uploaded and waits to be looked over.</summary>
/// <param name="Token">Its name in the address.</param>
/// <param name="JobId">The job it is for.</param>
/// <param name="FileName">As the person's machine called it.</param>
public sealed record IncomingFile(string Token, int JobId, string FileName);

/// <summary>Where an import stands.</summary>
public enum ImportState
{
    Running,
    Done,
    Failed,
    Cancelled,
}

/// <summary>One import under way.</summary>
public sealed class ImportRun(IncomingFile file)
{
    private long _bytes;

    internal CancellationTokenSource Cancel { get; } = new();

    /// <summary>What is being imported.</summary>
    public IncomingFile File { get; } = file;

    public ImportState State { get; internal set; }
    public long Length { get; internal init; }
    public string? Error { get; internal set; }
    public int? CaptureId { get; internal set; }

    /// <summary>Bytes read so far.</summary>
    public long Bytes
    {
        get => Interlocked.Read(ref _bytes);
        internal set => Interlocked.Exchange(ref _bytes, value);
    }

    public int Percent => Length == 0 ? 0 : (int)(100 * Bytes / Length);
}

/// <summary>Takes files in: keeps uploads until they are looked over, then imports them beside the requests.</summary>
public sealed class ImportService(DataFolder data, IServiceScopeFactory scopes)
{
    private readonly ConcurrentDictionary<string, ImportRun> _runs = new();

    /// <summary>What was understood of uploads that wait: a CAN log has to be decoded whole for it.</summary>
    private readonly ConcurrentDictionary<string, FileOverview> _understood = new();

    /// <summary>Keeps an upload.</summary>
    public async Task<IncomingFile> KeepAsync(int jobId, string fileName, Stream content, CancellationToken cancel)
    {
        var file = new IncomingFile(Guid.NewGuid().ToString("N"), jobId, Path.GetFileName(fileName));
        var path = PathOf(file.Token);
        try
        {
            await using (var target = System.IO.File.Create(path))
                await content.CopyToAsync(target, cancel);
            await File.WriteAllTextAsync(path + ".json", JsonSerializer.Serialize(file), cancel);
        }
        catch
        {
            Forget(file.Token);
            throw;
        }

        return file;
    }

    /// <summary>The upload of that token; null where there is none.</summary>
    public IncomingFile? Find(string? token) =>
        token is { Length: > 0 } && token.All(char.IsAsciiHexDigit) && File.Exists(PathOf(token) + ".json")
            ? JsonSerializer.Deserialize<IncomingFile>(File.ReadAllText(PathOf(token) + ".json"))
            : null;

    /// <summary>What is understood of an upload.</summary>
    /// <exception cref="CaptureFormatException">It can't be read.</exception>
    public FileOverview Inspect(IncomingFile file) =>
        _understood.GetOrAdd(file.Token, token => CaptureFile.Inspect(PathOf(token), file.FileName, Description(token)));

    /// <summary>
    /// The course of every column of an upload, over the whole file, or over its first megabytes where it is long; whole is
    /// false then. What was drawn before a row that can't be read is drawn all the same: the import says what is wrong.
    /// </summary>
    public (IReadOnlyList<Sketch> Columns, bool Whole) Draw(IncomingFile file, CancellationToken cancel)
    {
        var sketch = new TraceSketch();
        using var enough = CancellationTokenSource.CreateLinkedTokenSource(cancel);
        try
        {
            CaptureFile.Read(
                PathOf(file.Token),
                file.FileName,
                sketch,
                new StopAt(MostDrawn, enough),
                Description(file.Token),
                enough.Token
            );
            return (sketch.Columns, true);
        }
        catch (Exception error)
            when (error is CaptureFormatException || error is OperationCanceledException && !cancel.IsCancellationRequested)
        {
            return (sketch.Columns, false);
        }
    }

    /// <summary>Bytes of a file that are drawn before it is brought in.</summary>
    private const long MostDrawn = 48_000_000;

    private sealed class StopAt(long bytes, CancellationTokenSource stop) : IProgress<long>
    {
        public void Report(long value)
        {
            if (value > bytes)
                stop.Cancel();
        }
    }

    /// <summary>Keeps the DBC file that goes with an upload.</summary>
    /// <exception cref="CaptureFormatException">It is none.</exception>
    public async Task KeepDescriptionAsync(IncomingFile file, string name, Stream content, CancellationToken cancel)
    {
        await using (var target = System.IO.File.Create(PathOf(file.Token) + ".dbc"))
            await content.CopyToAsync(target, cancel);
        DbcFile.Parse(TextFile.Load(PathOf(file.Token) + ".dbc"), name);
        _understood.TryRemove(file.Token, out _);
    }

    private DbcFile? Description(string token) => File.Exists(PathOf(token) + ".dbc") ? DbcFile.Load(PathOf(token) + ".dbc") : null;

    /// <summary>Throws an upload away.</summary>
    public void Forget(string token)
    {
        _understood.TryRemove(token, out _);
        File.Delete(PathOf(token));
        File.Delete(PathOf(token) + ".json");
        File.Delete(PathOf(token) + ".dbc");
    }

    /// <summary>The import of that token; null where none was started.</summary>
    public ImportRun? Run(string? token) => _runs.GetValueOrDefault(token ?? "");

    /// <summary>Starts the import; a second start of the same one changes nothing.</summary>
    public void Start(IncomingFile file, StoredCapture capture, IReadOnlyList<ChannelChoice>? choices)
    {
        var run = new ImportRun(file) { Length = new FileInfo(PathOf(file.Token)).Length };
        if (_runs.TryAdd(file.Token, run))
            _ = Task.Run(() => Import(file, run, capture, choices));
    }

    /// <summary>Stops the import; nothing of it stays.</summary>
    public void Stop(string token) => Run(token)?.Cancel.Cancel();

    private void Import(IncomingFile file, ImportRun run, StoredCapture capture, IReadOnlyList<ChannelChoice>? choices)
    {
        try
        {
            using var scope = scopes.CreateScope();
            var intake = scope.ServiceProvider.GetRequiredService<CaptureIntake>();
            run.CaptureId = intake.Take(
                capture,
                choices,
                sink =>
                    CaptureFile.Read(PathOf(file.Token), file.FileName, sink, new Progress(run), Description(file.Token), run.Cancel.Token),
                run.Cancel.Token
            );
            Forget(file.Token);
            run.State = ImportState.Done;
            Counters.Imports.Add(1);
        }
        catch (OperationCanceledException)
        {
            Forget(file.Token);
            run.State = ImportState.Cancelled;
        }
        catch (Exception error)
        {
            run.Error = error is CaptureFormatException ? error.Message : $"{file.FileName}: the import broke off: {error.Message}";
            Forget(file.Token);
            run.State = ImportState.Failed;
        }
    }

    private string PathOf(string token) => Path.Combine(data.Incoming, token);

    private sealed class Progress(ImportRun run) : IProgress<long>
    {
        public void Report(long value) => run.Bytes = value;
    }
}
