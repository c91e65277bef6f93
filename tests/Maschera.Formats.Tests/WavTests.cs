using Maschera.Core.Signals;
using Maschera.Formats;

namespace Maschera.Formats.Tests;

/// <summary>WAV in every width, whole and damaged.</summary>
public class WavTests
{
    [Theory]
    [InlineData(1, 8, 0.01)]
    [InlineData(1, 16, 1e-4)]
    [InlineData(1, 24, 1e-6)]
    [InlineData(1, 32, 1e-7)]
    [InlineData(3, 32, 1e-7)]
    [InlineData(3, 64, 1e-7)]
    public void Every_width_gives_the_same_values(int kind, int bits, double within)
    {
        var capture = Load(Wav(kind, bits, 2, [0, 0.5, -0.5, 0.25, -1, 0.75]));
        Assert.Equal(["1", "2"], capture.Channels.Select(c => c.Name));
        // A fraction may go beyond 1, a whole number ends there.
        Assert.All(capture.Channels, c => Assert.Equal(kind == 1 ? 1 : null as double?, c.Range));
        Assert.Equal(1e-3, capture.Channels[0].Time.Step, 12);
        double[] left = [0, -0.5, -1],
            right = [0.5, 0.25, 0.75];
        Assert.All(left.Zip(capture.Channels[0].Samples), p => Assert.Equal(p.First, p.Second, within));
        Assert.All(right.Zip(capture.Channels[1].Samples), p => Assert.Equal(p.First, p.Second, within));
    }

    [Fact]
    public void A_header_that_claims_too_much_gives_what_is_there()
    {
        var capture = Load(Wav(1, 16, 1, [0.1, 0.2, 0.3], claimed: 3_000_000_000));
        Assert.Equal(3, capture.Channels[0].Samples.Length);
        Assert.Contains(capture.Notes, n => n.Code == "cut-short");
    }

    [Theory]
    [InlineData(3, false)]
    [InlineData(1, false)]
    [InlineData(3, true)]
    public void A_file_cut_inside_a_sample_gives_the_whole_ones_and_says_so(int bytes, bool isHeaderRight)
    {
        var whole = Wav(1, 16, 2, [0.1, 0.2, 0.3, 0.4, 0.5, 0.6]);
        var cut = whole[..^bytes];
        if (isHeaderRight)
            BitConverter.TryWriteBytes(cut.AsSpan(40), 12 - bytes);
        var capture = Load(cut);
        Assert.Equal(2, capture.Channels[0].Samples.Length);
        Assert.Equal(0.4, capture.Channels[1].Samples[1], 1e-3);
        Assert.Contains(capture.Notes, n => n.Code == "cut-short");
    }

    [Theory]
    [InlineData(2, 4)]
    [InlineData(1, 12)]
    public void Encodings_that_can_t_be_read_are_refused(int kind, int bits) =>
        Assert.Contains(
            "can't be read",
            Assert.Throws<CaptureFormatException>(() => Load(Wav(kind, bits, 1, []))).Message,
            StringComparison.Ordinal
        );

    [Fact]
    public void A_file_without_samples_is_refused() => Assert.Throws<CaptureFormatException>(() => Load(Wav(1, 16, 1, [])));

    private static Capture Load(byte[] bytes)
    {
        var sink = new MemorySink();
        var notes = WavFile.Read(new MemoryStream(bytes), "test.wav", sink);
        return sink.ToCapture("test.wav", notes);
    }

    private static byte[] Wav(int kind, int bits, int channels, double[] samples, uint? claimed = null)
    {
        using var data = new MemoryStream();
        using var body = new BinaryWriter(data);
        foreach (var s in samples)
        {
            if (kind == 3 && bits == 32)
                body.Write((float)s);
            else if (kind == 3)
                body.Write(s);
            else if (bits == 8)
                body.Write((byte)(s * 127 + 128));
            else if (bits == 16)
                body.Write((short)(s * 32767));
            else if (bits == 24)
                body.Write(BitConverter.GetBytes((int)(s * 8388607))[..3]);
            else
                body.Write((int)(s * 2147483647));
        }

        using var file = new MemoryStream();
        using var w = new BinaryWriter(file);
        w.Write("RIFF"u8);
        w.Write((uint)(36 + data.Length));
        w.Write("WAVEfmt "u8);
        w.Write(16u);
        w.Write((ushort)kind);
        w.Write((ushort)channels);
        w.Write(1000u);
        w.Write((uint)(1000 * channels * bits / 8));
        w.Write((ushort)(channels * bits / 8));
        w.Write((ushort)bits);
        w.Write("data"u8);
        w.Write(claimed ?? (uint)data.Length);
        w.Write(data.ToArray());
        return file.ToArray();
    }

    [Theory]
    [InlineData(65_535)]
    [InlineData(513)]
    public void A_header_that_claims_more_channels_than_any_scope_has_is_refused_without_memory_for_them(ushort channels)
    {
        var path = Path.GetTempFileName();
        try
        {
            using (var writer = new BinaryWriter(File.Create(path)))
            {
                writer.Write("RIFF"u8);
                writer.Write(36);
                writer.Write("WAVEfmt "u8);
                writer.Write(16);
                writer.Write((ushort)1);
                writer.Write(channels);
                writer.Write(48_000);
                writer.Write(48_000 * channels * 2);
                writer.Write((ushort)(channels * 2));
                writer.Write((ushort)16);
                writer.Write("data"u8);
                writer.Write(int.MaxValue);
            }

            var before = GC.GetAllocatedBytesForCurrentThread();
            var why = Assert.Throws<CaptureFormatException>(() => CaptureFile.Load(path)).Message;
            Assert.Contains($"{channels} channels", why, StringComparison.Ordinal);
            Assert.InRange(GC.GetAllocatedBytesForCurrentThread() - before, 0, 10_000_000);
        }
        finally
        {
            File.Delete(path);
        }
    }
}
