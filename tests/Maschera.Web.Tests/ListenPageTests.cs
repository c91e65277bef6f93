using System.Net;
using System.Text.RegularExpressions;
using Maschera.Core.Signals;
using Maschera.Formats;
using Maschera.Rig;
using Maschera.Store;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web.Tests;

/// <summary>A recording of the sound of cranking goes into a job and is read; whatever else is sent gets a sentence.</summary>
public sealed class ListenPageTests : IAsyncLifetime
{
    private ServerOnFolder _server = null!;
    private PageClient _page = null!;
    private int _job;

    public async ValueTask InitializeAsync()
    {
        _server = await ServerOnFolder.StartAsync(
            (db, _) =>
            {
                _job = OneJob.Take(db).Id;
                var gone = OneJob.Take(db);
                gone.DeletedAt = DateTime.UtcNow;
                db.SaveChanges();
            }
        );
        _page = new PageClient(_server);
    }

    public async ValueTask DisposeAsync()
    {
        _page.Dispose();
        await _server.DisposeAsync();
    }

    [Theory]
    [InlineData(1)]
    [InlineData(2)]
    public async Task A_recording_of_one_or_two_microphones_is_kept_and_read(int microphones)
    {
        var recording = Wav(Heard(), microphones);
        var capture = await Kept(recording);
        Assert.Equal(microphones, capture.Channels.Count);
        Assert.Equal("sound", capture.Channels.Single(c => c.Name == "Sound").Role);
        Assert.Equal(("cranking", "ignition"), (capture.Conditions.State, capture.Conditions.Disabled));
        var reading = Assert.Single(capture.Readings);
        Assert.Equal(("relative-compression", "uneven"), (reading.Kind, reading.Verdict));
        var bench = await _page.ReadAsync($"/bench/{capture.Id}");
        Assert.Contains("one cylinder at", bench, StringComparison.Ordinal);
        Assert.Contains("% below the mean speed", bench, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_recording_without_a_starter_is_kept_with_what_to_do_instead()
    {
        var quiet = new Channel("Sound", "", TimeAxis.Uniform(0, 1 / 12_500.0, 40_000), new float[40_000]);
        var capture = await Kept(Wav(quiet, 1));
        Assert.Equal("unusable", Assert.Single(capture.Readings).Verdict);
        Assert.Contains(
            "Record five seconds",
            WebUtility.HtmlDecode(await _page.ReadAsync($"/bench/{capture.Id}")),
            StringComparison.Ordinal
        );
    }

    [Fact]
    public async Task What_is_no_sound_is_refused_with_a_sentence_and_leaves_nothing()
    {
        foreach (
            var (name, content, says) in (IEnumerable<(string, byte[], string)>)
                [
                    ("clamp.csv", "Time (s),Current (A)\n0,1\n0.1,2\n0.2,3\n"u8.ToArray(), "is no sound"),
                    ("broken.wav", "RIFF\0\0\0\0WAVEnothing"u8.ToArray(), "broken.wav"),
                    ("photo.png", [0x89, 0x50, 0x4e, 0x47, 0, 0, 0, 1], "photo.png"),
                    ("empty.wav", [], "empty"),
                ]
        )
        {
            var answer = await Sent(name, content);
            Assert.Equal(HttpStatusCode.OK, answer.StatusCode);
            Assert.Contains(says, WebUtility.HtmlDecode(await answer.Content.ReadAsStringAsync()), StringComparison.Ordinal);
        }

        Assert.Contains("There is no recording yet", await (await Sent(null, [])).Content.ReadAsStringAsync(), StringComparison.Ordinal);
        using var db = _server.Open();
        Assert.Empty(db.Captures);
    }

    [Fact]
    public async Task A_job_that_is_gone_does_not_listen()
    {
        Assert.Equal(HttpStatusCode.NotFound, await _page.StatusAsync("/jobs/2/listen"));
        Assert.Equal(HttpStatusCode.NotFound, await _page.StatusAsync("/jobs/77/listen"));
    }

    private async Task<StoredCapture> Kept(byte[] recording)
    {
        var answer = await Sent("phone.wav", recording);
        Assert.Equal(HttpStatusCode.Found, answer.StatusCode);
        var address = answer.Headers.Location!.ToString();
        Assert.Matches("^/imports/", address);
        for (var wait = 0; wait < 300; wait++)
        {
            using var db = _server.Open();
            var kept = db.Captures.Include(c => c.Channels).Include(c => c.Readings).AsNoTracking().FirstOrDefault();
            if (kept is { Readings.Count: > 0 })
                return kept;
            await Task.Delay(100);
        }

        throw new TimeoutException("The recording was never kept.");
    }

    private async Task<HttpResponseMessage> Sent(string? name, byte[] content)
    {
        var address = $"/jobs/{_job}/listen";
        var token = Regex.Match(await _page.ReadAsync(address), "name=\"__RequestVerificationToken\" type=\"hidden\" value=\"([^\"]+)\"");
        var form = new MultipartFormDataContent
        {
            { new StringContent(token.Groups[1].Value), "__RequestVerificationToken" },
            { new StringContent("ignition"), "Disabled" },
        };
        if (name is not null)
            form.Add(new ByteArrayContent(content), "sound", name);
        return await _page.SendAsync(address, form);
    }

    private static Channel Heard() =>
        CrankingRun
            .Record(
                new CrankingPlan(EngineCatalogue.Orsa)
                {
                    Faults = [new(3, 5)],
                    Phone = new PhoneSound(),
                    Cranking = 4,
                }
            )
            .Capture.Find("Sound")!;

    private static byte[] Wav(Channel sound, int microphones)
    {
        using var file = new MemoryStream();
        var channels = Enumerable.Range(0, microphones).Select(n => sound with { Name = $"Microphone {n + 1}" });
        CaptureExport.WriteWav(file, "phone.wav", [.. channels.Select(c => new MemoryReader(c))]);
        return file.ToArray();
    }
}
