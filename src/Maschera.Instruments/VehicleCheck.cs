using Maschera.Core.Vehicle;

namespace Maschera.Instruments;

/// <summary>The first look: codes of all states, freeze frame, on-board tests, and a stretch of live values.</summary>
public static class VehicleCheck
{
    private const byte FreezeFrameCode = 0x02;

    /// <summary>Reads codes, freeze frame and on-board tests; the tester's log holds the exchange.</summary>
    /// <exception cref="VehicleException">Nobody answers.</exception>
    public static async Task<VehicleFacts> ReadAsync(DiagnosticTester tester, CancellationToken cancel)
    {
        var answers = new List<DiagnosticMessage>();
        foreach (var service in (byte[])[0x03, 0x07, 0x0A])
            answers.AddRange(await tester.AskAsync([service], cancel));
        if (answers.Count == 0)
            throw new VehicleException("No module answers. Check the plug and the ignition.");
        foreach (var monitor in await SupportedAsync(tester, 0x06, 0x46, 2, cancel))
            await tester.AskAsync([0x06, monitor], cancel);
        answers.AddRange(await tester.AskAsync([0x02, FreezeFrameCode, 0], cancel));
        if (VehicleFacts.Of(answers).FrozenCode is not null)
            foreach (var id in (await SupportedAsync(tester, 0x02, 0x42, 3, cancel)).Where(id => LiveData.Find(id) is not null))
                answers.AddRange(await tester.AskAsync([0x02, id, 0], cancel));
        answers.AddRange(await tester.AskAsync([0x09, 0x02], cancel));
        return VehicleFacts.Of(answers);
    }

    /// <summary>Asks for live values again and again; each round is one value of each channel.</summary>
    /// <param name="goOn">Asked before each round; false ends the log.</param>
    public static async Task LogAsync(DiagnosticTester tester, Func<bool> goOn, CancellationToken cancel)
    {
        var ids = (await SupportedAsync(tester, 0x01, 0x41, 2, cancel)).Where(id => LiveData.Find(id) is not null).ToList();
        if (ids.Count == 0)
            throw new VehicleException("No module offers live values. Check the plug and the ignition.");
        while (goOn())
        {
            // Six ids fit into one request.
            foreach (var six in ids.Chunk(6))
                await tester.AskAsync([0x01, .. six], cancel);
        }
    }

    /// <summary>The ids of a service that any module offers, by its masks of 32 each.</summary>
    private static async Task<IReadOnlyList<byte>> SupportedAsync(
        DiagnosticTester tester,
        byte service,
        byte answerService,
        int maskAt,
        CancellationToken cancel
    )
    {
        var ids = new SortedSet<byte>();
        for (var first = 0; first < 0x100; first += 0x20)
        {
            var more = false;
            byte[] request = service == 0x02 ? [service, (byte)first, 0] : [service, (byte)first];
            foreach (var answer in await tester.AskAsync(request, cancel))
            {
                if (answer.Data.Length < maskAt + 4 || answer.Data[0] != answerService || answer.Data[1] != first)
                    continue;
                for (var bit = 0; bit < 32; bit++)
                    if ((answer.Data[maskAt + bit / 8] >> (7 - bit % 8) & 1) == 1)
                    {
                        more |= bit == 31;
                        if (bit < 31 || first < 0xE0)
                            ids.Add((byte)(first + bit + 1));
                    }
            }

            if (!more)
                break;
        }

        return [.. ids.Where(id => id % 0x20 != 0)];
    }
}
