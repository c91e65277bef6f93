using System.Text;
using Maschera.Core.Signals;
using Maschera.Formats;

namespace Maschera.Formats.Tests;

/// <summary>Damaged files give a capture or a refusal in one line, and nothing else.</summary>
public class DamageTests
{
    private static readonly string[] s_sound =
    [
        "Time (s),A (V),B (bar)\n0.0,1.5,2\n0.1,2.5,3\n0.2,3.5,4\n0.3,3.5,5\n",
        "Zeit [ms];A [V]\r\n0,0;1,5\r\n0,1;2,5\r\n0,2;3,5\r\n",
        "# sample rate: 10 Hz\nA (V)\n1.5\n2.5\n3.5\n",
        "Time,A (V)\n23:59:59.9,1.5\n00:00:00.0,2.5\n00:00:00.1,3.5\n",
        "\"Time (s)\",\"A (rpm)\"\n\"0.0\",\"1,234.5\"\n\"0.1\",\"2,234.5\"\n",
        "Time A (s),A (V),Time B (s),B (bar)\n0.0,1,0.00,10\n0.1,2,0.05,20\n,,0.10,30\n",
    ];

    [Fact]
    public void Csv()
    {
        var random = new Random(11);
        var read = 0;
        for (var i = 0; i < 900; i++)
        {
            var bytes = Damage(Encoding.UTF8.GetBytes(s_sound[i % s_sound.Length]), random);
            if (TryRead(bytes, "d.csv", (stream, sink) => CsvFile.Read(stream, CsvFile.Inspect(new MemoryStream(bytes), "d.csv"), sink)))
                read++;
        }

        Assert.InRange(read, 40, 880);
    }

    [Fact]
    public void Wav()
    {
        var random = new Random(12);
        byte[] sound =
        [
            .. "RIFF"u8,
            44,
            0,
            0,
            0,
            .. "WAVEfmt "u8,
            16,
            0,
            0,
            0,
            1,
            0,
            1,
            0,
            0xE8,
            3,
            0,
            0,
            0xD0,
            7,
            0,
            0,
            2,
            0,
            16,
            0,
            .. "data"u8,
            8,
            0,
            0,
            0,
            1,
            0,
            2,
            0,
            3,
            0,
            4,
            0,
        ];
        var read = 0;
        for (var i = 0; i < 500; i++)
            if (TryRead(Damage(sound, random), "d.wav", (stream, sink) => WavFile.Read(stream, "d.wav", sink)))
                read++;
        Assert.InRange(read, 10, 490);
    }

    /// <summary>Bytes changed, taken out, doubled or cut off.</summary>
    private static byte[] Damage(byte[] sound, Random random)
    {
        var bytes = sound.ToList();
        for (var n = random.Next(1, 4); n > 0 && bytes.Count > 1; n--)
        {
            var at = random.Next(bytes.Count);
            switch (random.Next(5))
            {
                case 0:
                    bytes[at] = (byte)random.Next(256);
                    break;
                case 1:
                    bytes.RemoveAt(at);
                    break;
                case 2:
                    bytes.Insert(at, (byte)"0,;.\n\"-e:\t"[random.Next(10)]);
                    break;
                case 3:
                    bytes.RemoveRange(at, bytes.Count - at);
                    break;
                default:
                    bytes.InsertRange(at, bytes.GetRange(at, Math.Min(9, bytes.Count - at)));
                    break;
            }
        }

        return [.. bytes];
    }

    private static bool TryRead(byte[] bytes, string file, Action<Stream, ICaptureSink> read)
    {
        var sink = new MemorySink();
        try
        {
            read(new MemoryStream(bytes), sink);
        }
        catch (CaptureFormatException error)
        {
            Assert.Contains(file, error.Message, StringComparison.Ordinal);
            Assert.DoesNotContain('\n', error.Message);
            return false;
        }

        var capture = sink.ToCapture(file, []);
        Assert.All(capture.Channels, c => Assert.Equal(c.Time.Count, c.Samples.Length));
        return true;
    }
}
