using System.Globalization;
using System.Text.RegularExpressions;
using Maschera.Core.Basics;

namespace Maschera.Formats;

/// <summary>How a signal lies in its message.</summary>
/// <param name="Start">
/// First bit: the lowest on little-endian signals, the highest on big-endian (motorola) ones, counted as DBC does.
/// </param>
/// <param name="Length">Bits.</param>
/// <param name="IsBigEndian">Motorola byte order.</param>
/// <param name="IsSigned">Two's complement.</param>
/// <param name="Factor">Value = raw * factor + offset.</param>
public sealed record DbcSignal(
    string Name,
    int Start,
    int Length,
    bool IsBigEndian,
    bool IsSigned,
    double Factor,
    double Offset,
    string Unit
)
{
    /// <summary>True for the switch of a multiplexed message.</summary>
    public bool IsSwitch { get; init; }

    /// <summary>The switch's values under which this signal is there; empty where it always is.</summary>
    public IReadOnlyList<(long From, long To)> When { get; init; } = [];

    /// <summary>The switch that counts; null for the message's only one.</summary>
    public string? Switch { get; init; }

    /// <summary>32 or 64 bits of IEEE 754; 0 for a whole number.</summary>
    public int FloatBits { get; init; }

    /// <summary>Raw number in a frame's bytes; null where the frame is too short.</summary>
    public long? Raw(ReadOnlySpan<byte> data)
    {
        ulong raw = 0;
        var place = Start;
        for (var i = 0; i < Length; i++)
        {
            if (place < 0 || place >= data.Length * 8)
                return null;
            var bit = (ulong)(data[place >> 3] >> (place & 7)) & 1;
            if (IsBigEndian)
            {
                raw = raw << 1 | bit;
                place = (place & 7) == 0 ? place + 15 : place - 1;
            }
            else
            {
                raw |= bit << i;
                place++;
            }
        }

        if (IsSigned && Length < 64 && (raw >> (Length - 1) & 1) == 1)
            raw |= ulong.MaxValue << Length;
        return (long)raw;
    }

    /// <summary>The value in its unit; null where the frame is too short.</summary>
    public double? Value(ReadOnlySpan<byte> data)
    {
        if (Raw(data) is not { } raw)
            return null;
        double number = FloatBits switch
        {
            32 => BitConverter.Int32BitsToSingle((int)raw),
            64 => BitConverter.Int64BitsToDouble(raw),
            _ => IsSigned ? raw : (ulong)raw,
        };
        return number * Factor + Offset;
    }
}

/// <summary>A message of the description.</summary>
public sealed record DbcMessage(uint Id, bool IsExtended, string Name, int Bytes, IReadOnlyList<DbcSignal> Signals)
{
    /// <summary>Every signal that is there in a frame's bytes, with its value.</summary>
    public IEnumerable<(DbcSignal Signal, double Value)> Decode(byte[] data)
    {
        foreach (var signal in Signals)
            if (IsThere(signal, data, 0) && signal.Value(data) is { } value && double.IsFinite(value))
                yield return (signal, value);
    }

    private bool IsThere(DbcSignal signal, byte[] data, int depth)
    {
        if (signal.When.Count == 0)
            return true;
        if (depth > 8)
            return false;
        var by = Signals.FirstOrDefault(s =>
            s.IsSwitch && s != signal && (signal.Switch is null ? s.When.Count == 0 : s.Name == signal.Switch)
        );
        return by is not null
            && IsThere(by, data, depth + 1)
            && by.Raw(data) is { } now
            && signal.When.Any(w => now >= w.From && now <= w.To);
    }
}

/// <summary>A CAN description in the open DBC form: messages, signals, multiplexing, floating point; the rest is passed over.</summary>
public sealed partial class DbcFile
{
    private const int MostMessages = 20_000,
        MostBytes = 64;

    private readonly Dictionary<(uint, bool), DbcMessage> _messages;

    private DbcFile(Dictionary<(uint, bool), DbcMessage> messages, IReadOnlyList<Note> notes) => (_messages, Notes) = (messages, notes);

    public IReadOnlyCollection<DbcMessage> Messages => _messages.Values;

    /// <summary>Signals and messages that make no sense and are left out.</summary>
    public IReadOnlyList<Note> Notes { get; }

    /// <summary>The message of an identifier; null where the description has none.</summary>
    public DbcMessage? Find(uint id, bool extended) => _messages.GetValueOrDefault((id, extended));

    /// <summary>Reads a description.</summary>
    /// <exception cref="CaptureFormatException">It is none.</exception>
    public static DbcFile Load(string path) => Parse(TextFile.Load(path), Path.GetFileName(path));

    /// <summary>Reads a description from its text.</summary>
    /// <exception cref="CaptureFormatException">It is none.</exception>
    public static DbcFile Parse(string text, string name)
    {
        var reader = new Reader(name);
        var lines = WithoutStrings(text).Split('\n');
        for (var i = 0; i < lines.Length; i++)
            reader.Take(lines[i].TrimEnd(), i + 1);
        return reader.Finish();
    }

    /// <summary>Remarks may run over several lines and hold anything: their text is blanked, line ends kept.</summary>
    private static string WithoutStrings(string text) =>
        Remarks().Replace(text, found => new string('\n', found.Value.Count(c => c == '\n')));

    private sealed class Reader(string name)
    {
        private readonly Dictionary<(uint, bool), (DbcMessage Message, List<DbcSignal> Signals)> _messages = [];
        private readonly List<Note> _notes = [];
        private List<DbcSignal>? _open;
        private DbcMessage? _last;

        public void Take(string line, int number)
        {
            var words = line.TrimStart();
            if (words.StartsWith("BO_ ", StringComparison.Ordinal))
                Message(words, number);
            else if (words.StartsWith("SG_ ", StringComparison.Ordinal))
                Signal(words, number);
            else if (words.StartsWith("SIG_VALTYPE_ ", StringComparison.Ordinal))
                Floating(words, number);
            else if (words.StartsWith("SG_MUL_VAL_ ", StringComparison.Ordinal))
                Ranges(words, number);
        }

        public DbcFile Finish()
        {
            if (_messages.Count == 0)
                throw new CaptureFormatException(name, "describes no messages: a DBC file has lines that begin with BO_ and SG_.");
            return new DbcFile(_messages.ToDictionary(m => m.Key, m => m.Value.Message with { Signals = m.Value.Signals }), _notes);
        }

        private void Message(string line, int number)
        {
            var found = MessageLine().Match(line);
            if (!found.Success || !ulong.TryParse(found.Groups[1].Value, out var id) || id > uint.MaxValue)
                throw new CaptureFormatException(name, number, "the message can't be understood: BO_ id name: bytes sender.");
            var bytes = int.TryParse(found.Groups[3].Value, out var count) ? count : -1;
            var extended = (id & 0x80000000) != 0;
            var key = ((uint)id & 0x1FFFFFFF, extended);
            (_open, _last) = ([], new DbcMessage(key.Item1, extended, found.Groups[2].Value, bytes, []));
            // The messages of signals without one stand under an id of their own, with no bytes on any bus.
            if (id is 0xC0000000)
                return;
            if (bytes is < 0 or > MostBytes || !extended && key.Item1 > 0x7FF)
                _notes.Add(
                    new(
                        "absurd-message",
                        $"{name}, line {number}: message {_last.Name} has {bytes} bytes or an identifier no bus has, and is left out."
                    )
                );
            else if (_messages.Count >= MostMessages)
                throw new CaptureFormatException(name, number, $"describes more than {MostMessages:N0} messages.");
            else if (!_messages.TryAdd(key, (_last, _open)))
                _notes.Add(
                    new("twice", $"{name}, line {number}: identifier {key.Item1:X} is described twice; the first description counts.")
                );
        }

        private void Signal(string line, int number)
        {
            if (_open is null || _last is null)
                throw new CaptureFormatException(name, number, "the signal belongs to no message.");
            var found = SignalLine().Match(line);
            if (!found.Success)
                throw new CaptureFormatException(
                    name,
                    number,
                    "the signal can't be understood: SG_ name : start|bits@order sign (factor,offset) [least|most] \"unit\" receivers."
                );
            var parts = found.Groups;
            var mark = parts[2].Value;
            if (
                !int.TryParse(parts[3].Value, out var start)
                || !int.TryParse(parts[4].Value, out var bits)
                || !double.TryParse(parts[7].Value, NumberStyles.Float, CultureInfo.InvariantCulture, out var factor)
                || !double.TryParse(parts[8].Value, NumberStyles.Float, CultureInfo.InvariantCulture, out var offset)
            )
                throw new CaptureFormatException(name, number, "a number of the signal can't be understood.");
            var signal = new DbcSignal(
                parts[1].Value,
                start,
                bits,
                parts[5].Value == "0",
                parts[6].Value == "-",
                factor,
                offset,
                parts[9].Value
            )
            {
                IsSwitch = mark.EndsWith('M'),
                When = mark.Length > 1 && long.TryParse(mark.TrimStart('m').TrimEnd('M'), out var value) ? [(value, value)] : [],
            };
            if (Absurd(signal) is { } why)
                _notes.Add(new("absurd-signal", $"{name}, line {number}: {signal.Name} of {_last.Name} {why} and is left out."));
            else if (_open.Count >= FileLimits.MostChannels)
                throw new CaptureFormatException(
                    name,
                    number,
                    $"describes more than {FileLimits.MostChannels} signals in message {_last.Name}, which has no bits for so many."
                );
            else if (_open.Any(s => s.Name == signal.Name))
                _notes.Add(new("twice", $"{name}, line {number}: {_last.Name} has two signals called {signal.Name}; the first counts."));
            else
                _open.Add(signal);
        }

        private string? Absurd(DbcSignal signal)
        {
            if (signal.Length is < 1 or > 64)
                return $"has {signal.Length} bits";
            if (!double.IsFinite(signal.Factor) || signal.Factor == 0 || !double.IsFinite(signal.Offset))
                return "has a factor that makes every value the same";
            return signal.Raw(new byte[_last!.Bytes is > 0 and <= MostBytes ? _last.Bytes : 0]) is null
                ? "does not fit into its message"
                : null;
        }

        private void Floating(string line, int number)
        {
            var found = Regex.Match(line, @"^SIG_VALTYPE_\s+(\d+)\s+(\w+)\s*:?\s*([0-3])\s*;", RegexOptions.CultureInvariant);
            if (!found.Success)
                throw new CaptureFormatException(name, number, "the value type can't be understood: SIG_VALTYPE_ id signal : 1;");
            var bits = found.Groups[3].Value switch
            {
                "1" => 32,
                "2" => 64,
                _ => 0,
            };
            Change(
                found.Groups[1].Value,
                found.Groups[2].Value,
                signal =>
                {
                    if (bits == 0 || signal.Length == bits)
                        return signal with { FloatBits = bits };
                    _notes.Add(
                        new(
                            "absurd-signal",
                            $"{name}, line {number}: {signal.Name} has {signal.Length} bits and is said to be a floating-point number "
                                + $"of {bits}; it is read as a whole number."
                        )
                    );
                    return signal;
                }
            );
        }

        private void Ranges(string line, int number)
        {
            var found = Regex.Match(line, @"^SG_MUL_VAL_\s+(\d+)\s+(\w+)\s+(\w+)\s+(.*?)\s*;", RegexOptions.CultureInvariant);
            var ranges = found.Success
                ? Regex
                    .Matches(found.Groups[4].Value, @"(\d+)\s*-\s*(\d+)")
                    .Select(r =>
                        (long.TryParse(r.Groups[1].Value, out var a) ? a : -1, long.TryParse(r.Groups[2].Value, out var b) ? b : -1)
                    )
                    .ToList()
                : [];
            if (ranges.Count == 0)
                throw new CaptureFormatException(
                    name,
                    number,
                    "the multiplexing can't be understood: SG_MUL_VAL_ id signal switch from-to;"
                );
            Change(found.Groups[1].Value, found.Groups[2].Value, signal => signal with { Switch = found.Groups[3].Value, When = ranges });
        }

        private void Change(string id, string signal, Func<DbcSignal, DbcSignal> change)
        {
            if (
                !uint.TryParse(id, out var number)
                || !_messages.TryGetValue((number & 0x1FFFFFFF, (number & 0x80000000) != 0), out var message)
            )
                return;
            var at = message.Signals.FindIndex(s => s.Name == signal);
            if (at >= 0)
                message.Signals[at] = change(message.Signals[at]);
        }
    }

    [GeneratedRegex(
        @"^(?:CM_|BA_|BA_DEF_|BA_DEF_DEF_|VAL_|VAL_TABLE_|EV_)\b(?:[^"";]|""(?:[^""\\]|\\.)*"")*;",
        RegexOptions.Multiline | RegexOptions.CultureInvariant
    )]
    private static partial Regex Remarks();

    [GeneratedRegex(@"^BO_\s+(\d+)\s+(\w+)\s*:\s*(-?\d+)\s+\S+", RegexOptions.CultureInvariant)]
    private static partial Regex MessageLine();

    [GeneratedRegex(
        @"^SG_\s+(\w+)\s*(M|m\d+M?)?\s*:\s*(-?\d+)\|(-?\d+)@([01])\s*([+-])\s*"
            + @"\(\s*([^,\s]+)\s*,\s*([^)\s]+)\s*\)\s*\[[^\]]*\]\s*""([^""]*)""",
        RegexOptions.CultureInvariant
    )]
    private static partial Regex SignalLine();
}
