using Maschera.Core.Signals;

namespace Maschera.Formats.Tests;

/// <summary>What goes out lets go of what it read from.</summary>
public sealed class ExportTests
{
    /// <summary>A reader that counts how many of its readings were begun and not let go.</summary>
    private sealed class Counted(Channel channel) : ISampleReader
    {
        private readonly MemoryReader _reader = new(channel);

        public int Open { get; private set; }
        public int Begun { get; private set; }
        public string Name => _reader.Name;
        public string Unit => _reader.Unit;
        public int Count => _reader.Count;
        public double Start => _reader.Start;
        public double Step => _reader.Step;
        public double End => _reader.End;
        public bool IsUniform => _reader.IsUniform;

        public double TimeAt(int index) => _reader.TimeAt(index);

        public int IndexAtOrAfter(double seconds) => _reader.IndexAtOrAfter(seconds);

        public IEnumerable<SamplePiece> Read(int first, int count)
        {
            (Open, Begun) = (Open + 1, Begun + 1);
            try
            {
                foreach (var piece in _reader.Read(first, count))
                    yield return piece;
            }
            finally
            {
                Open--;
            }
        }
    }

    private static List<Counted> Channels() =>
        [
            .. Enumerable
                .Range(0, 3)
                .Select(c => new Counted(
                    new Channel(
                        $"c{c}",
                        "V",
                        TimeAxis.Uniform(0, 1e-3, 40_000),
                        [.. Enumerable.Range(0, 40_000).Select(i => (float)(i % 97))]
                    )
                )),
        ];

    [Theory]
    [InlineData("csv")]
    [InlineData("wav")]
    [InlineData("zip")]
    public void Every_channel_is_let_go_once_the_file_is_written(string format)
    {
        var channels = Channels();
        Write(format, channels, TestContext.Current.CancellationToken);
        Assert.All(channels, c => Assert.Equal((0, true), (c.Open, c.Begun > 0)));
    }

    [Theory]
    [InlineData("csv")]
    [InlineData("wav")]
    [InlineData("zip")]
    public void Every_channel_is_let_go_where_the_writing_is_broken_off(string format)
    {
        var channels = Channels();
        using var stopped = new CancellationTokenSource();
        stopped.Cancel();
        Assert.ThrowsAny<OperationCanceledException>(() => Write(format, channels, stopped.Token));
        Assert.All(channels, c => Assert.Equal(0, c.Open));
    }

    private static void Write(string format, List<Counted> channels, CancellationToken cancel)
    {
        using var to = new MemoryStream();
        if (format == "csv")
            CaptureExport.WriteCsv(to, channels, cancel);
        else if (format == "wav")
            CaptureExport.WriteWav(to, "out.wav", channels, cancel);
        else
            BundleFile.Write(
                to,
                "c",
                DateTime.UnixEpoch,
                new Dictionary<string, string>(),
                [],
                [.. channels.Select(c => new OutgoingChannel(c))],
                cancel
            );
    }
}
