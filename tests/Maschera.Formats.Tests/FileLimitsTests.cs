using Maschera.Core.Signals;
using Maschera.Formats;

namespace Maschera.Formats.Tests;

/// <summary>Files that want more than any instrument writes are refused in a sentence, before memory is spent.</summary>
public sealed class FileLimitsTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("maschera").FullName;

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Theory]
    [InlineData(512, null)]
    [InlineData(513, "513 channels; 512 are the most")]
    [InlineData(40_000, "channels; 512 are the most")]
    public void Channels_are_counted_before_they_are_read(int channels, string? refusal)
    {
        var header = "Time (s)," + string.Join(',', Enumerable.Range(0, channels).Select(i => $"C{i} (V)"));
        var rows = Enumerable.Range(0, 6).Select(i => $"{i * 0.001:0.000}" + string.Concat(Enumerable.Repeat(",1.5", channels)));
        var path = Write("wide.csv", header + "\n" + string.Join('\n', rows) + "\n");
        if (refusal is null)
            Assert.Equal(channels, CaptureFile.Load(path).Channels.Count);
        else
            Assert.Contains(refusal, Assert.Throws<CaptureFormatException>(() => CaptureFile.Load(path)).Message, StringComparison.Ordinal);
    }

    [Fact]
    public void A_name_of_thousands_of_letters_is_refused_and_shown_short()
    {
        var path = Write("name.csv", $"Time (s),{new string('N', 30_000)} (V)\n0.000,1\n0.001,2\n0.002,1\n");
        var error = Assert.Throws<CaptureFormatException>(() => CaptureFile.Inspect(path, "name.csv"));
        Assert.Contains("30,000 letters; 200 are the most", error.Message, StringComparison.Ordinal);
        Assert.InRange(error.Message.Length, 1, 200);
    }

    [Fact]
    public void A_message_with_more_signals_than_bits_is_refused()
    {
        var signals = string.Concat(Enumerable.Range(0, 600).Select(i => $" SG_ S{i} : 0|8@1+ (1,0) [0|0] \"\" X\n"));
        var error = Assert.Throws<CaptureFormatException>(() => DbcFile.Parse("BO_ 100 M: 8 X\n" + signals, "d.dbc"));
        Assert.Contains("512 signals in message M", error.Message, StringComparison.Ordinal);
        Assert.StartsWith("d.dbc, line 514", error.Message, StringComparison.Ordinal);
    }

    [Fact]
    public void A_log_that_gives_more_channels_is_refused()
    {
        var messages = Enumerable
            .Range(0, 10)
            .Select(m =>
                $"BO_ {m + 1} M{m}: 8 X\n"
                + string.Concat(Enumerable.Range(0, 60).Select(i => $" SG_ S{m}x{i} : {i}|1@1+ (1,0) [0|0] \"\" X\n"))
            );
        var log = string.Concat(
            Enumerable.Range(0, 40).Select(i => $"(1600000000.{i * 1000:000000}) can0 {i % 10 + 1:X3}#0011223344556677\n")
        );
        var path = Write("bus.log", log);
        var description = DbcFile.Parse(string.Concat(messages), "d.dbc");
        var error = Assert.Throws<CaptureFormatException>(() => CaptureFile.Load(path, description: description));
        Assert.Contains("512 are the most", error.Message, StringComparison.Ordinal);
    }

    private string Write(string name, string text)
    {
        var path = Path.Combine(_folder, name);
        File.WriteAllText(path, text);
        return path;
    }
}
