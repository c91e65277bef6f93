using System.Net;
using System.Net.Http.Json;
using System.Text;
using System.Text.Json;
using Maschera.App;
using Maschera.Core.Expressions;
using Maschera.Core.Signals;
using Maschera.Formats;
using Maschera.Store;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.DependencyInjection;

namespace Maschera.Web.Tests;

/// <summary>The bench's server side: measures, derived channels, arrangement, compare and export, over HTTP.</summary>
public sealed class BenchTests : IAsyncLifetime
{
    private const double Step = 1e-4;
    private const int Count = 200_000;

    private ServerOnFolder _server = null!;
    private HttpClient _client = null!;
    private int _capture,
        _pulses,
        _wave;

    public async ValueTask InitializeAsync()
    {
        _server = await ServerOnFolder.StartAsync(
            (db, _) =>
            {
                db.Jobs.Add(
                    new Job
                    {
                        Vehicle = "v",
                        Complaint = "c",
                        CreatedAt = DateTime.UtcNow,
                        Engine = new StoredEngine { Name = "e", Json = """{"cylinders":1,"firingOrder":[1]}""" },
                    }
                );
                db.SaveChanges();
                _capture = Keep(db, "before", 0);
                Keep(db, "after", 0.0123);
                var channels = db.Channels.Where(c => c.CaptureId == _capture).OrderBy(c => c.Ordinal).Select(c => c.Id).ToList();
                (_pulses, _wave) = (channels[0], channels[1]);
            }
        );
        _client = _server.Client;
    }

    public ValueTask DisposeAsync() => _server.DisposeAsync();

    [Fact]
    public async Task A_caliper_is_measured_kept_moved_and_deleted()
    {
        var made = await Ask(
            HttpMethod.Post,
            "calipers",
            new
            {
                channel = _wave,
                from = 1.0,
                to = 2.0,
                unit = "kPa",
            }
        );
        Assert.Equal("Caliper 1", made.GetProperty("name").GetString());
        Assert.Contains(
            made.GetProperty("figures").EnumerateArray(),
            f => f.GetProperty("name").GetString() == "Maximum" && f.GetProperty("unit").GetString() == "kPa"
        );
        var measure = made.GetProperty("measure");
        Assert.Equal(10_001, measure.GetProperty("samples").GetInt32());
        Assert.Equal(Enumerable.Range(10_000, 10_001).Average(i => (double)Wave(i * Step)), measure.GetProperty("mean").GetDouble(), 1e-9);
        var id = made.GetProperty("id").GetInt32();
        var moved = await Ask(
            HttpMethod.Put,
            $"calipers/{id}",
            new
            {
                name = "Dwell",
                channel = _pulses,
                from = 3.0,
                to = 2.0,
            }
        );
        Assert.Equal((2.0, 3.0), (moved.GetProperty("from").GetDouble(), moved.GetProperty("to").GetDouble()));
        Assert.Equal(50, moved.GetProperty("measure").GetProperty("pulses").GetProperty("frequencyHz").GetDouble(), 0.01);
        Assert.Contains("Dwell", await _client.GetStringAsync($"/bench/{_capture}"), StringComparison.Ordinal);
        Assert.Equal(HttpStatusCode.NoContent, (await _client.DeleteAsync($"/bench/{_capture}/calipers/{id}")).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await _client.DeleteAsync($"/bench/{_capture}/calipers/{id}")).StatusCode);
    }

    [Fact]
    public async Task Jaws_snap_and_step_by_samples()
    {
        var snap = await Ask(
            HttpMethod.Post,
            "snap",
            new
            {
                channel = _pulses,
                at = 1.0029,
                reach = 0.004,
                to = "edge",
                level = 0,
            }
        );
        Assert.Equal(1.0, snap.GetProperty("seconds").GetDouble(), Step);
        foreach (
            var (at, by, expected) in ((double, int, double)[])
                [
                    (1.0, 1, 1.0001),
                    (1.0, -1, 0.9999),
                    (1.00005, 1, 1.0001),
                    (1.00005, -1, 1.0),
                    (0, -5, 0),
                    (1.0, 10, 1.001),
                    (50, 1, (Count - 1) * Step),
                ]
        )
            Assert.Equal(
                expected,
                (
                    await Ask(
                        HttpMethod.Post,
                        "step",
                        new
                        {
                            channel = _pulses,
                            at,
                            by,
                        }
                    )
                ).GetDouble(),
                1e-9
            );
    }

    [Fact]
    public async Task A_pin_keeps_its_remark()
    {
        var pin = (
            await Ask(
                HttpMethod.Post,
                "pins",
                new
                {
                    id = 0,
                    at = 1.5,
                    remark = "",
                }
            )
        ).GetProperty("id").GetInt32();
        await Ask(
            HttpMethod.Put,
            $"pins/{pin}",
            new
            {
                id = pin,
                at = 1.5,
                remark = "<b>here</b>",
            }
        );
        var page = await _client.GetStringAsync($"/bench/{_capture}");
        Assert.Contains("\\u003Cb\\u003Ehere", page, StringComparison.Ordinal);
        Assert.DoesNotContain("<b>here", page, StringComparison.Ordinal);
        await Refused(
            HttpMethod.Put,
            $"pins/{pin}",
            new
            {
                id = pin,
                at = 1.5,
                remark = new string('x', 5000),
            },
            "up to 500 letters"
        );
    }

    [Fact]
    public async Task A_derived_channel_is_worked_out_kept_and_deleted()
    {
        var channel = await Derive("derived", new { name = "Duty", expression = "duty(Pulses)" });
        using var db = Open();
        var row = db.Channels.Single(c => c.Id == channel);
        Assert.Equal(("Duty", "%", "duty(Pulses)", Count, Step), (row.Name, row.Unit, row.Expression, row.Count, row.Step));
        Assert.Equal(30, new SampleStore(db).Load(row).Samples[Count / 2], 0.6f);
        await Refused(HttpMethod.Post, "derived", new { name = "Duty", expression = "Pulses" }, "There is a channel 'Duty' already");
        await Refused(HttpMethod.Post, "derived", new { name = "X", expression = "nonsense(Pulses)" }, "no function 'nonsense'");
        await Refused(HttpMethod.Post, "derived", new { name = "", expression = "Pulses" }, "Give the channel a name");
        Assert.Equal(HttpStatusCode.NotFound, (await _client.DeleteAsync($"/bench/{_capture}/derived/{_wave}")).StatusCode);
        Assert.Equal(HttpStatusCode.NoContent, (await _client.DeleteAsync($"/bench/{_capture}/derived/{channel}")).StatusCode);
        Assert.Equal(0, db.Database.SqlQuery<int>($"SELECT COUNT(*) AS Value FROM Blocks WHERE (Key >> 32) = {channel}").Single());
    }

    [Fact]
    public async Task A_smoothed_copy_is_made_once_and_swept_when_no_lane_draws_it()
    {
        var asked = new
        {
            channel = _wave,
            standing = true,
            smooth = "median",
            smoothBy = 5,
        };
        var copy = await Derive("smoothed", asked);
        Assert.Equal(copy, (await Ask(HttpMethod.Post, "smoothed", asked)).GetProperty("channelId").GetInt32());
        await Arrange(
            new[]
            {
                new
                {
                    channels = new object[]
                    {
                        new
                        {
                            channel = _wave,
                            standing = true,
                            smooth = "median",
                            smoothBy = 5,
                            copy,
                        },
                    },
                },
            }
        );
        using var db = Open();
        Assert.True(db.Channels.Any(c => c.Id == copy));
        Assert.DoesNotContain($"\"id\":{copy},", await _client.GetStringAsync($"/bench/{_capture}"), StringComparison.Ordinal);
        await Arrange(new[] { new { channels = new object[] { new { channel = _wave } } } });
        db.Sweep(DateTime.UtcNow);
        Assert.False(db.Channels.Any(c => c.Id == copy));
    }

    [Fact]
    public async Task An_arrangement_is_kept_and_nonsense_is_refused_with_a_sentence()
    {
        await Arrange(
            new[]
            {
                new
                {
                    height = (int?)200,
                    channels = new object[]
                    {
                        new
                        {
                            channel = _wave,
                            unit = "psi",
                            invert = true,
                            offset = 1.5,
                            range = new[] { -1.0, 4 },
                        },
                        new { channel = _pulses, hidden = true },
                    },
                },
            }
        );
        var page = await _client.GetStringAsync($"/bench/{_capture}");
        Assert.Contains(
            "\"unit\":\"psi\",\"hidden\":false,\"invert\":true,\"offset\":1.5,\"range\":[-1,4]",
            page,
            StringComparison.Ordinal
        );
        object Of(params object[] channels) => new { lanes = new[] { new { channels } } };
        await Refused(HttpMethod.Put, "arrangement", Of(new { channel = 9999 }), "no channel 9999");
        await Refused(HttpMethod.Put, "arrangement", Of(new { channel = _wave, unit = "km/h" }), "can't be shown in km/h");
        await Refused(HttpMethod.Put, "arrangement", Of(new { channel = _wave, range = new[] { 3, 1 } }), "bottom below its top");
        await Refused(HttpMethod.Put, "arrangement", Of(new { channel = _wave }, new { channel = _wave }), "one lane only");
        await Refused(
            HttpMethod.Put,
            "arrangement",
            new { lanes = new[] { new { height = 9_000, channels = Array.Empty<object>() } } },
            "60 to 800 pixels"
        );
        await Refused(
            HttpMethod.Put,
            "arrangement",
            new { lanes = Enumerable.Repeat(new { channels = Array.Empty<object>() }, 5_000) },
            "1 to 64 lanes"
        );
        await Refused(
            HttpMethod.Put,
            "arrangement",
            new { lanes = Enumerable.Repeat(new { channels = Array.Empty<object>() }, 1_000_000) },
            "up to 256 kB"
        );
        await Refused(HttpMethod.Put, "arrangement", "nonsense", "a list of lanes");
        Assert.Contains("\"unit\":\"psi\",\"hidden\":false", await _client.GetStringAsync($"/bench/{_capture}"), StringComparison.Ordinal);
    }

    [Fact]
    public async Task Two_captures_are_lined_up_on_an_edge_and_subtracted()
    {
        using var db = Open();
        var other = db.Channels.Where(c => c.CaptureId != _capture && c.Name == "Pulses").Select(c => c.Id).Single();
        var asked = new
        {
            channel = _pulses,
            at = 1.002,
            reach = 0.004,
            other,
            shift = 0.0,
            stretch = 1.0,
        };
        var shift = (await Ask(HttpMethod.Post, "line-up", asked)).GetProperty("shift").GetDouble();
        Assert.Equal(0.0077, shift, 2e-4);
        var difference = await Derive(
            "difference",
            new
            {
                channel = _pulses,
                at = 0,
                reach = 1,
                other,
                shift,
                stretch = 1.0,
            }
        );
        var samples = new SampleStore(db).Load(db.Channels.Single(c => c.Id == difference)).Samples.Where(float.IsFinite).ToArray();
        Assert.True(samples.Length > 0.99 * Count);
        Assert.True(samples.Count(v => Math.Abs(v) > 0.01) < 0.02 * samples.Length);
        await Refused(
            HttpMethod.Post,
            "line-up",
            new
            {
                channel = _pulses,
                at = 1.004,
                reach = 1e-5,
                other,
                shift = 0,
                stretch = 1,
            },
            "no clear edge here"
        );
    }

    [Fact]
    public async Task What_goes_out_comes_back_bit_for_bit()
    {
        foreach (var format in (string[])["bundle", "csv", "wav"])
        {
            var answer = await _client.GetAsync($"/bench/{_capture}/export?format={format}");
            var path = Path.Combine(_server.Folder, "out." + format);
            await File.WriteAllBytesAsync(path, await answer.Content.ReadAsByteArrayAsync());
            var back = CaptureFile.Load(path);
            using var db = Open();
            foreach (var (row, got) in db.Channels.Where(c => c.CaptureId == _capture).OrderBy(c => c.Ordinal).ToList().Zip(back.Channels))
            {
                Assert.Equal(new SampleStore(db).Load(row).Samples, got.Samples);
                if (format == "bundle")
                    Assert.Equal((row.Name, row.Unit, row.Start, row.Step), (got.Name, got.Unit, got.Time.Start, got.Time.Step));
                else
                    Assert.Equal(row.Step, got.Time.Step, 1e-12);
            }
        }

        var window = await _client.GetStringAsync($"/bench/{_capture}/export?format=csv&from=1&to=1.001");
        Assert.Equal(12, window.Split("\r\n", StringSplitOptions.RemoveEmptyEntries).Length);
        Assert.Equal(HttpStatusCode.BadRequest, (await _client.GetAsync($"/bench/{_capture}/export?format=xml")).StatusCode);
        Assert.Equal(
            HttpStatusCode.BadRequest,
            (await _client.GetAsync($"/bench/{_capture}/export?format=csv&from=500&to=501")).StatusCode
        );
        // The last export's file goes when its answer is through, which the reader may see first.
        while (Directory.GetFiles(Path.Combine(_server.Folder, "incoming")).Length > 0)
            await Task.Delay(20, TestContext.Current.CancellationToken);
    }

    [Fact]
    public async Task An_import_that_is_stopped_leaves_nothing()
    {
        var imports = _server.App.Services.GetRequiredService<ImportService>();
        var file = await imports.KeepAsync(1, "long.csv", new MemoryStream(LongFile()), TestContext.Current.CancellationToken);
        using var db = Open();
        var (captures, blocks) = (db.Captures.Count(), Blocks(db));
        using (var lockout = await db.Database.BeginTransactionAsync(TestContext.Current.CancellationToken))
        {
            // Holds SQLite's one writer, so the import can't be over before it is stopped.
            db.Database.ExecuteSqlRaw("UPDATE Captures SET Name = Name");
            imports.Start(file, new StoredCapture { JobId = 1, Name = "stopped" }, [new ChannelChoice("A", "V", 1, null)]);
            imports.Stop(file.Token);
        }

        while (imports.Run(file.Token)!.State == ImportState.Running)
            await Task.Delay(10, TestContext.Current.CancellationToken);
        Assert.Equal(ImportState.Cancelled, imports.Run(file.Token)!.State);
        Assert.Equal((captures, blocks), (db.Captures.IgnoreQueryFilters().Count(), Blocks(db)));
        // The last export's file goes when its answer is through, which the reader may see first.
        while (Directory.GetFiles(Path.Combine(_server.Folder, "incoming")).Length > 0)
            await Task.Delay(20, TestContext.Current.CancellationToken);
    }

    [Theory]
    [InlineData(0.1)]
    [InlineData(0.5)]
    [InlineData(0.9)]
    public void A_file_stopped_on_its_way_in_leaves_nothing(double share)
    {
        var path = Path.Combine(_server.Folder, "long.csv");
        File.WriteAllBytes(path, LongFile());
        using var db = Open();
        var (captures, blocks) = (db.Captures.Count(), Blocks(db));
        using var stop = new CancellationTokenSource();
        var progress = new StopAt((long)(share * new FileInfo(path).Length), stop);
        using (var writer = new CaptureWriter(db, new StoredCapture { JobId = 1, Name = "stopped" }))
            Assert.ThrowsAny<OperationCanceledException>(() => CaptureFile.Read(path, "long.csv", writer, progress, cancel: stop.Token));
        Assert.True(stop.IsCancellationRequested);
        Assert.Equal((captures, blocks), (db.Captures.IgnoreQueryFilters().Count(), Blocks(db)));
    }

    private static byte[] LongFile()
    {
        var text = new StringBuilder("Time (s),A (V)\n");
        for (var i = 0; i < 1_000_000; i++)
            text.Append(System.Globalization.CultureInfo.InvariantCulture, $"{i * 1e-5:0.00000},{i % 977}\n");
        return Encoding.ASCII.GetBytes(text.ToString());
    }

    private static int Blocks(MascheraDb db) => db.Database.SqlQueryRaw<int>("SELECT COUNT(*) AS Value FROM Blocks").Single();

    private sealed class StopAt(long bytes, CancellationTokenSource stop) : IProgress<long>
    {
        public void Report(long value)
        {
            if (value >= bytes)
                stop.Cancel();
        }
    }

    private static float Wave(double t) => (float)(1.5 + Math.Sin(Math.Tau * 3 * t));

    private static int Keep(MascheraDb db, string name, double late)
    {
        var axis = TimeAxis.Uniform(0, Step, Count);
        var capture = new Capture(
            name,
            [
                new(
                    "Pulses",
                    "V",
                    axis,
                    [.. Enumerable.Range(0, Count).Select(i => (i * Step - late + 10) * 50 % 1 is < 0.3 or > 1 - 1e-9 ? 5f : 0.25f)]
                ),
                new("Wave", "bar", axis, [.. Enumerable.Range(0, Count).Select(i => Wave(i * Step - late))]),
            ],
            []
        );
        return OneJob.Keep(db, 1, name, capture, new Conditions("idle", 80, null, null));
    }

    private MascheraDb Open() => _server.Open();

    private async Task<JsonElement> Ask(HttpMethod method, string path, object body)
    {
        using var request = new HttpRequestMessage(method, $"/bench/{_capture}/{path}") { Content = JsonContent.Create(body) };
        var answer = await _client.SendAsync(request);
        var text = await answer.Content.ReadAsStringAsync();
        Assert.True(answer.IsSuccessStatusCode, text);
        return JsonSerializer.Deserialize<JsonElement>(text);
    }

    private async Task Refused(HttpMethod method, string path, object body, string why)
    {
        using var content = new StringContent(body as string ?? JsonSerializer.Serialize(body), Encoding.UTF8, "application/json");
        using var request = new HttpRequestMessage(method, $"/bench/{_capture}/{path}") { Content = content };
        var answer = await _client.SendAsync(request);
        Assert.Equal(HttpStatusCode.BadRequest, answer.StatusCode);
        Assert.Contains(
            why,
            (await answer.Content.ReadFromJsonAsync<JsonElement>()).GetProperty("error").GetString(),
            StringComparison.Ordinal
        );
    }

    private async Task Arrange(object lanes)
    {
        var answer = await _client.PutAsJsonAsync($"/bench/{_capture}/arrangement", new { lanes });
        Assert.True(answer.StatusCode == HttpStatusCode.NoContent, await answer.Content.ReadAsStringAsync());
    }

    private async Task<int> Derive(string path, object asked)
    {
        var token = (await Ask(HttpMethod.Post, path, asked)).GetProperty("token").GetString();
        for (var wait = 0; wait < 2400; wait++, await Task.Delay(25))
        {
            var run = await _client.GetFromJsonAsync<JsonElement>($"/bench/derive/{token}");
            if (!run.GetProperty("isOver").GetBoolean())
                continue;
            Assert.Equal(JsonValueKind.Null, run.GetProperty("error").ValueKind);
            return run.GetProperty("channelId").GetInt32();
        }

        throw new TimeoutException();
    }
}
