using System.Diagnostics;
using System.Globalization;
using System.Text;
using Maschera.Core.Vehicle;

namespace Maschera.Instruments;

/// <summary>
/// Asks a vehicle by SAE J1979 over ISO 15765-2: a request to all modules, their answers with flow control, and every
/// frame of the exchange as a log that can be kept.
/// </summary>
/// <param name="adapter">The plug in the vehicle's socket.</param>
/// <param name="clock">Seconds that pass; a stopwatch's where null.</param>
public sealed class DiagnosticTester(ICanAdapter adapter, Func<double>? clock = null)
{
    private const uint AllModules = 0x7DF,
        FirstAnswer = 0x7E8,
        LastAnswer = 0x7EF,
        AnswerToRequest = 8;

    /// <summary>A module answers within this time; one that says it needs longer gets more.</summary>
    private static readonly TimeSpan s_wait = TimeSpan.FromMilliseconds(200),
        s_waitLonger = TimeSpan.FromSeconds(5);

    private readonly Func<double> _clock = clock ?? (Stopwatch.StartNew() is var watch ? () => watch.Elapsed.TotalSeconds : () => 0);
    private readonly List<CanFrame> _log = [];

    /// <summary>All frames so far, both ways, with the seconds since the tester was made.</summary>
    public IReadOnlyList<CanFrame> Log => _log;

    /// <summary>The log as candump writes it.</summary>
    public string LogText(DateTime start)
    {
        var text = new StringBuilder();
        var origin = (start - DateTime.UnixEpoch).TotalSeconds;
        foreach (var frame in _log)
            text.Append(
                CultureInfo.InvariantCulture,
                $"({origin + frame.Seconds:0.000000}) {frame.Bus} {frame.IdText}#{Convert.ToHexString(frame.Data)}\n"
            );
        return text.ToString();
    }

    /// <summary>Sends a request and gathers what all modules answer; empty where nobody does.</summary>
    public async Task<IReadOnlyList<DiagnosticMessage>> AskAsync(byte[] request, CancellationToken cancel)
    {
        if (request.Length > 7)
            throw new ArgumentException("A request fits into one frame.", nameof(request));
        await SendAsync(AllModules, [(byte)request.Length, .. request], cancel);
        var assembler = new MessageAssembler();
        var wait = s_wait;
        while (await adapter.ReceiveAsync(wait, cancel) is { } frame)
        {
            frame = frame with { Seconds = _clock() };
            _log.Add(frame);
            if (frame.Id is < FirstAnswer or > LastAnswer || frame.Data.Length == 0)
                continue;
            assembler.Take(frame);
            // Ask the sender of a first frame for the rest.
            if (frame.Data[0] >> 4 == 1)
                await SendAsync(frame.Id - AnswerToRequest, [0x30, 0, 0], cancel);
            wait = assembler.Messages.Any(m => IsPending(m.Data, request[0])) ? s_waitLonger : s_wait;
        }

        assembler.Finish();
        return [.. assembler.Messages.Where(m => m.Data.Length > 0 && m.Data[0] == request[0] + 0x40)];
    }

    /// <summary>True for "busy, the answer follows".</summary>
    private static bool IsPending(byte[] answer, byte service) => answer is [0x7F, var asked, 0x78, ..] && asked == service;

    private async Task SendAsync(uint id, byte[] data, CancellationToken cancel)
    {
        var frame = new CanFrame(_clock(), "can0", id, false, [.. data.Concat(Enumerable.Repeat((byte)0, 8)).Take(8)]);
        _log.Add(frame);
        await adapter.SendAsync(frame, cancel);
    }
}
