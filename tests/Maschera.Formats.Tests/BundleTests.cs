using System.IO.Compression;
using System.Text;
using Maschera.Core.Signals;
using Maschera.Formats;

namespace Maschera.Formats.Tests;

/// <summary>What goes out comes back: bundles bit for bit, CSV and WAV with every value.</summary>
public sealed class BundleTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("maschera").FullName;

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public void A_bundle_comes_back_bit_for_bit()
    {
        var channels = Mixed();
        var path = Write(
            stream =>
                BundleFile.Write(
                    stream,
                    "Idle, warm",
                    new DateTime(2026, 3, 1, 8, 0, 0, DateTimeKind.Utc),
                    new Dictionary<string, string> { ["state"] = "idle" },
                    [new("clipped", "A is clipped.")],
                    [new(new MemoryReader(channels[0]), "current"), .. channels[1..].Select(c => new OutgoingChannel(new MemoryReader(c)))]
                ),
            "b.zip"
        );
        var head = CaptureFile.Inspect(path, "b.zip").Bundle!;
        Assert.Equal(("Idle, warm", "idle", "current"), (head.Name, head.Conditions["state"], head.Channels[0].Role));
        var back = CaptureFile.Load(path);
        Assert.Equal("clipped", Assert.Single(back.Notes).Code);
        foreach (var (sent, got) in channels.Zip(back.Channels))
        {
            Assert.Equal(
                (sent.Name, sent.Unit, sent.Range, sent.Time.IsUniform, sent.Time.Start),
                (got.Name, got.Unit, got.Range, got.Time.IsUniform, got.Time.Start)
            );
            if (sent.Time.IsUniform)
                Assert.Equal(sent.Time.Step, got.Time.Step);
            Assert.Equal(sent.Samples.Select(BitConverter.SingleToInt32Bits), got.Samples.Select(BitConverter.SingleToInt32Bits));
            for (var i = 0; i < sent.Samples.Length; i++)
                Assert.Equal(sent.Time[i], got.Time[i]);
        }
    }

    [Fact]
    public void Csv_comes_back_with_every_value_also_with_several_axes()
    {
        var channels = Mixed();
        var back = CaptureFile.Load(
            Write(stream => CaptureExport.WriteCsv(stream, [.. channels.Select(c => new MemoryReader(c))]), "c.csv")
        );
        foreach (var (sent, got) in channels.Zip(back.Channels))
        {
            Assert.Equal((sent.Name, sent.Unit), (got.Name, got.Unit));
            Assert.Equal(sent.Samples, got.Samples);
            for (var i = 0; i < sent.Samples.Length; i++)
                Assert.Equal(sent.Time[i], got.Time[i], 9);
        }
    }

    [Theory]
    [InlineData(1e-4, 20_000)]
    [InlineData(1 / 44_100.0, 20_000)]
    [InlineData(0.1, 600)]
    [InlineData(1e-6, 20_000)]
    public void Csv_writes_no_digit_that_means_nothing(double step, int count)
    {
        var time = TimeAxis.Uniform(0, step, count);
        var channel = new Channel("A", "V", time, [.. Enumerable.Range(0, count).Select(i => i % 50 / 10f)]);
        var path = Write(stream => CaptureExport.WriteCsv(stream, [new MemoryReader(channel)]), "d.csv");
        foreach (var line in File.ReadLines(path).Skip(1))
        {
            var cells = line.Split(',');
            Assert.True(cells[0].Length <= 15, line);
            Assert.True(cells[1].Length <= 3, line);
        }

        Assert.InRange(CaptureFile.Load(path).Channels[0].Time.Step / step, 1 - 1e-7, 1 + 1e-7);
    }

    [Fact]
    public void Wav_comes_back_with_every_value()
    {
        var channels = Mixed()[..2];
        var back = CaptureFile.Load(
            Write(stream => CaptureExport.WriteWav(stream, "w.wav", [.. channels.Select(c => new MemoryReader(c))]), "w.wav")
        );
        Assert.Equal(channels.Select(c => c.Samples), back.Channels.Select(c => c.Samples));
        Assert.Equal(1e-4, back.Channels[0].Time.Step, 15);
    }

    [Fact]
    public void Wav_refuses_what_it_can_t_hold()
    {
        var channels = Mixed();
        foreach (
            var wrong in (Channel[][])
                [channels, channels[2..3], [channels[0] with { Time = TimeAxis.Uniform(0, 1 / 44.7, channels[0].Samples.Length) }]]
        )
            Assert.Contains(
                "bundle",
                Assert
                    .Throws<CaptureFormatException>(() =>
                        CaptureExport.WriteWav(new MemoryStream(), "w.wav", [.. wrong.Select(c => new MemoryReader(c))])
                    )
                    .Message,
                StringComparison.Ordinal
            );
    }

    [Fact]
    public void A_window_of_a_channel_goes_out_alone()
    {
        var whole = new MemoryReader(Mixed()[0]);
        var (first, count) = whole.Inside(0.5, 0.6);
        var back = CaptureFile.Load(
            Write(
                stream =>
                    BundleFile.Write(
                        stream,
                        "w",
                        DateTime.UtcNow,
                        new Dictionary<string, string>(),
                        [],
                        [new(new SlicedReader(whole, first, count))]
                    ),
                "s.zip"
            )
        );
        Assert.Equal(whole.Load(first, count).Samples, back.Channels[0].Samples);
        Assert.Equal(0.5, back.Channels[0].Time.Start, 9);
    }

    [Theory]
    [InlineData("""{"format":"other","version":1}""", "does not name the format")]
    [InlineData("""{"format":"maschera-capture","version":2}""", "version 2")]
    [InlineData(
        """
            {"format":"maschera-capture","version":1,
             "channels":[]}
            """,
        "lists no channels"
    )]
    [InlineData(
        """
            {"format":"maschera-capture","version":1,
             "channels":[{"name":"A","unit":"V","count":-1,"start":0,"step":1,"samples":"1.f32"}]}
            """,
        "claims -1 samples"
    )]
    [InlineData(
        """
            {"format":"maschera-capture","version":1,
             "channels":[{"name":"A","unit":"V","count":4,"start":0,"step":0,"samples":"1.f32"}]}
            """,
        "needs a step above zero"
    )]
    [InlineData(
        """
            {"format":"maschera-capture","version":1,
             "channels":[{"name":"A","unit":"V","count":4,"start":0,"step":1,"samples":"9.f32"}]}
            """,
        "is not in the zip"
    )]
    [InlineData(
        """
            {"format":"maschera-capture","version":1,
             "channels":[{"name":"A","unit":"V","count":2000000000,"start":0,"step":1,"samples":"1.f32"}]}
            """,
        "holds 4 samples, but capture.json claims 2000000000"
    )]
    [InlineData(
        """
            {"format":"maschera-capture","version":1,
             "channels":[{"name":"A","unit":"V","count":2,"start":0,"times":"1.f64","samples":"2.f32"}]}
            """,
        "goes backwards at sample 2"
    )]
    [InlineData(
        """
            {"format":"maschera-capture","version":1,
             "channels":[null]}
            """,
        "every channel has a name"
    )]
    [InlineData("""{"format":""", "can't be understood")]
    public void A_bundle_that_lies_is_refused_with_the_reason(string head, string why)
    {
        var path = Write(
            stream =>
            {
                using var zip = new ZipArchive(stream, ZipArchiveMode.Create, leaveOpen: true);
                Add(zip, "capture.json", Encoding.UTF8.GetBytes(head));
                Add(zip, "1.f32", new byte[16]);
                Add(zip, "2.f32", new byte[8]);
                Add(zip, "1.f64", [.. BitConverter.GetBytes(2.0), .. BitConverter.GetBytes(1.0)]);
            },
            "bad.zip"
        );
        Assert.Contains(why, Assert.Throws<CaptureFormatException>(() => CaptureFile.Load(path)).Message, StringComparison.Ordinal);
    }

    [Fact]
    public void A_damaged_bundle_gives_a_capture_or_one_line()
    {
        var whole = File.ReadAllBytes(
            Write(
                stream =>
                    BundleFile.Write(
                        stream,
                        "x",
                        DateTime.UtcNow,
                        new Dictionary<string, string>(),
                        [],
                        [.. Mixed().Select(c => new OutgoingChannel(new MemoryReader(c)))]
                    ),
                "x.zip"
            )
        );
        var random = new Random(4);
        for (var round = 0; round < 300; round++)
        {
            var bytes = round % 3 == 0 ? whole[..random.Next(whole.Length)] : [.. whole];
            for (var n = round % 5; n >= 0 && bytes.Length > 12; n--)
                bytes[random.Next(4, bytes.Length)] = (byte)random.Next(256);
            try
            {
                CaptureFile.Load(Write(stream => stream.Write(bytes), "x.zip"));
            }
            catch (CaptureFormatException error)
            {
                Assert.DoesNotContain('\n', error.Message);
            }
        }
    }

    private string Write(Action<Stream> write, string name)
    {
        var path = Path.Combine(_folder, name);
        using var stream = File.Create(path);
        write(stream);
        return path;
    }

    private static void Add(ZipArchive zip, string name, byte[] bytes)
    {
        using var entry = zip.CreateEntry(name).Open();
        entry.Write(bytes);
    }

    /// <summary>Two channels on one axis, one with uneven times and gaps, one slower.</summary>
    private static Channel[] Mixed()
    {
        var random = new Random(1);
        var axis = TimeAxis.Uniform(0, 1e-4, 20_001);
        return
        [
            new("Starter, current", "A", axis, [.. Enumerable.Range(0, 20_001).Select(_ => (float)(random.NextDouble() * 700 - 20))]),
            new("Battery \"main\"", "V", axis, [.. Enumerable.Range(0, 20_001).Select(i => 12.6f - i * 1e-5f)]) { Range = 20 },
            new("Coolant", "°C", TimeAxis.FromStamps([0, 0.1, 0.35, 1.2]), [80, float.NaN, 81.5f, 82]),
            new("Manifold", "kPa", TimeAxis.Uniform(0, 0.01, 150), [.. Enumerable.Range(0, 150).Select(i => 35 + i % 3 * 0.5f)]),
        ];
    }
}
