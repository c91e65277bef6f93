using System.Net;
using System.Text;
using Maschera.App;
using Maschera.Core.Quantities;
using Maschera.Core.Readings;
using Maschera.Core.Readings.PressureHold;
using Maschera.Rig;
using Maschera.Store;
using Microsoft.Extensions.DependencyInjection;

namespace Maschera.Web.Tests;

/// <summary>The figures of the shelf: typed, made of known-good captures, taken out and in, and held against what is measured.</summary>
public sealed class KnownFigureTests : IAsyncLifetime
{
    private ServerOnFolder _server = null!;
    private PageClient _page = null!;
    private int _engine,
        _job;

    public async ValueTask InitializeAsync()
    {
        _server = await ServerOnFolder.StartAsync(
            (db, _) =>
            {
                var job = OneJob.Take(db, EngineCatalogue.Orsa);
                (_engine, _job) = (job.EngineId, job.Id);
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
    [InlineData("60 ± 5", 55.0, 65.0)]
    [InlineData("60+-5", 55.0, 65.0)]
    [InlineData("50..70", 50.0, 70.0)]
    [InlineData("-3 to 3,5", -3.0, 3.5)]
    [InlineData("under 10", null, 10.0)]
    [InlineData("< 0,4", null, 0.4)]
    [InlineData("over −2", -2.0, null)]
    [InlineData(">= 3", null, null)]
    [InlineData("70..50", null, null)]
    [InlineData("60", null, null)]
    [InlineData("", null, null)]
    [InlineData("a ± b", null, null)]
    public void A_window_is_read_as_people_write_it(string text, double? from, double? to)
    {
        var window = FigureWindow.Parse(text);
        if (from is null && to is null)
            Assert.Null(window);
        else
            Assert.Equal(new FigureWindow(from, to), window);
    }

    [Theory]
    [InlineData(0.09, 0.0, true)]
    [InlineData(0.12, 0.0, false)]
    [InlineData(0.12, 0.02, true)]
    public void A_figure_outside_by_less_than_it_scatters_is_not_called_outside(double value, double spread, bool fits) =>
        Assert.Equal(fits, new FigureWindow(null, 0.1).Holds(value, spread));

    [Fact]
    public void What_is_measured_in_another_unit_is_held_against_the_same_window()
    {
        var known = new StoredFigure
        {
            Kind = "pressure-hold",
            Name = "lost a minute",
            Unit = "bar",
            Most = 0.1,
        };
        PressureHoldResult Hold(double rate) =>
            new()
            {
                Reading = "pressure-hold",
                Verdict = "leaks",
                RatePerMinute = rate,
                Unit = "kPa",
            };
        var beside = Assert.Single(KnownFigures.Beside(Hold(12), "idle", [known]));
        Assert.Equal((10, false), (Math.Round(beside.Window.To!.Value, 9), beside.Fits));
        Assert.True(Assert.Single(KnownFigures.Beside(Hold(8), "idle", [known])).Fits);
        known.State = "cranking";
        Assert.Empty(KnownFigures.Beside(Hold(12), "idle", [known]));
        (known.State, known.Unit) = ("", "°C");
        Assert.Empty(KnownFigures.Beside(Hold(12), "idle", [known]));
    }

    [Fact]
    public async Task A_typed_figure_stands_beside_the_reading_and_can_be_deleted_and_brought_back()
    {
        var page = $"/engines/{_engine}/figures";
        Assert.Contains("Nothing is known yet", await _page.ReadAsync(page), StringComparison.Ordinal);
        var refused = await TypeAsync("about 60");
        Assert.Contains("is no window", WebUtility.HtmlDecode(await refused.Content.ReadAsStringAsync()), StringComparison.Ordinal);
        Assert.Equal(HttpStatusCode.Found, (await TypeAsync("over 98")).StatusCode);
        // The same question again takes the place of the old answer.
        Assert.Equal(HttpStatusCode.Found, (await TypeAsync("over 99.9")).StatusCode);
        var bench = Crank(new CrankingPlan(EngineCatalogue.Orsa) { SyncCylinder = 1, Faults = [new(3, 2.5)] });
        var html = WebUtility.HtmlDecode(await _page.ReadAsync($"/bench/{bench}"));
        Assert.Contains("Beside what is known to be good", html, StringComparison.Ordinal);
        Assert.Contains(">over 99.9<", html, StringComparison.Ordinal);
        Assert.DoesNotContain(">over 98<", html, StringComparison.Ordinal);
        int id;
        using (var db = _server.Open())
            id = db.Figures.Single(f => f.DeletedAt == null).Id;
        await _page.PostAsync(page, $"{page}?handler=Delete&figure={id}");
        Assert.DoesNotContain("Beside what is known", await _page.ReadAsync($"/bench/{bench}"), StringComparison.Ordinal);
        await _page.PostAsync(page, $"{page}?handler=Undelete&figure={id}");
        Assert.Contains("Beside what is known", await _page.ReadAsync($"/bench/{bench}"), StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("under 0.05", "leaks")]
    [InlineData("under 3", "holds")]
    [InlineData("under 300 kPa", "holds")]
    public async Task A_limit_that_nobody_says_is_the_known_one_and_that_is_said(string window, string verdict)
    {
        var parts = window.Split(" kPa");
        await _page.PostAsync(
            $"/engines/{_engine}/figures",
            $"/engines/{_engine}/figures",
            ("Form.Kind", "pressure-hold"),
            ("Form.Name", "Lost a minute"),
            ("Form.Window", parts[0]),
            ("Form.Unit", parts.Length > 1 ? "kPa" : "bar"),
            ("Form.Source", "the manual")
        );
        await _page.PostAsync("/rig", "/rig?handler=Other", ("Form.Job", $"{_job}"), ("recording", "Fuel pressure, pump off: it leaks"));
        using var db = _server.Open();
        var result = db.Readings.Single(r => r.Kind == "pressure-hold").Result!;
        Assert.Equal(verdict, result.Verdict);
        var said = Assert.Single(result.Notes, n => n.Code == "known-limit").Text;
        Assert.Contains("the manual", said, StringComparison.Ordinal);
        Assert.Contains(" bar ", said, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_window_that_moves_is_typed_drawn_and_every_log_with_both_channels_is_read_against_it()
    {
        var page = $"/engines/{_engine}/figures";
        Task<HttpResponseMessage> Type(string window, string over) =>
            _page.PostAsync(
                page,
                page,
                ("Form.Kind", "window"),
                ("Form.Name", "Idle speed"),
                ("Form.About", over),
                ("Form.Window", window),
                ("Form.Unit", "rpm"),
                ("Form.Source", "the manual")
            );
        var refused = await Type("20: 900..1100; 80: 700..800", "");
        Assert.Contains("what its window moves with", await refused.Content.ReadAsStringAsync(), StringComparison.Ordinal);
        Assert.Equal(HttpStatusCode.Found, (await Type("20 °C: 900..1100; 80 °C: 700..800", "Coolant")).StatusCode);
        Assert.Contains("over Coolant", await _page.ReadAsync(page), StringComparison.Ordinal);
        int Log(double idleWarm)
        {
            using var db = _server.Open();
            var coolant = OneJob.Made("Coolant", "°C", 0.2, 600, i => 20 + i / 10.0);
            var idle = OneJob.Made("Idle speed", "rpm", 0.2, 600, i => 1_000 + (idleWarm - 1_000) * i / 600.0 + i % 3);
            return OneJob.Keep(db, db.Jobs.Single(j => j.Id == _job), "log", coolant, idle);
        }

        var (sound, faulty) = (Log(750), Log(880));
        using var after = _server.Open();
        Assert.Equal("inside", after.Readings.Single(r => r.CaptureId == sound && r.Kind == "window").Verdict);
        var result = after.Readings.Single(r => r.CaptureId == faulty && r.Kind == "window").Result!;
        Assert.Equal("above", result.Verdict);
        Assert.Contains("the manual", Assert.Single(result.Notes, n => n.Code == "known-window").Text, StringComparison.Ordinal);
        var html = WebUtility.HtmlDecode(await _page.ReadAsync($"/bench/{faulty}"));
        Assert.Contains("with the window that moves along", html, StringComparison.Ordinal);
        // It goes out and in as a file like any other.
        using var scope = _server.App.Services.CreateScope();
        var figures = scope.ServiceProvider.GetRequiredService<KnownFigures>();
        var other = OneJob.Take(after, EngineCatalogue.Tasso).EngineId;
        Assert.Equal(1, figures.Import(other, new MemoryStream(figures.Export(_engine))));
        Assert.Equal("20 °C: 900..1100; 80 °C: 700..800", Assert.Single(figures.Of(other)).Moves);
    }

    [Fact]
    public async Task The_shelf_gives_median_and_spread_and_a_sound_engine_lies_within_them()
    {
        for (var seed = 1; seed <= 4; seed++)
        {
            var id = Crank(new CrankingPlan(EngineCatalogue.Orsa) { SyncCylinder = 1, Seed = seed });
            using var db = _server.Open();
            db.Captures.Single(c => c.Id == id).ShelvedAt = DateTime.UtcNow;
            db.SaveChanges();
        }

        var page = $"/engines/{_engine}/figures";
        Assert.Equal(HttpStatusCode.Found, (await _page.PostAsync(page, $"{page}?handler=Shelf")).StatusCode);
        using var after = _server.Open();
        var made = after.Figures.Where(f => f.Kind == "relative-compression").ToList();
        Assert.Equal(["Cylinder 1", "Cylinder 2", "Cylinder 3", "Cylinder 4"], made.Select(f => f.Name).Order());
        Assert.All(made, f => Assert.Equal((4, "cranking"), (f.Captures, f.State)));
        Assert.All(made, f => Assert.InRange(100, f.Least!.Value, f.Most!.Value));
        List<FigureBeside> Held(params CylinderFault[] faults)
        {
            var id = Crank(
                new CrankingPlan(EngineCatalogue.Orsa)
                {
                    SyncCylinder = 1,
                    Seed = 9,
                    Faults = faults,
                }
            );
            var result = after.Readings.Where(r => r.CaptureId == id).AsEnumerable().Single(r => r.Kind == "relative-compression").Result!;
            return [.. KnownFigures.Beside(result, "cranking", made)];
        }

        Assert.All(Held(), b => Assert.True(b.Fits, $"{b.Figure} {b.Window}"));
        Assert.Equal(["Cylinder 2"], Held(new CylinderFault(2, 2.5)).Where(b => !b.Fits).Select(b => b.Figure.Name));
    }

    [Fact]
    public async Task A_file_goes_out_and_in_again_and_a_wrong_one_takes_nothing()
    {
        var page = $"/engines/{_engine}/figures";
        await TypeAsync("55..65");
        var file = await _server.Client.GetByteArrayAsync($"{page}?handler=File");
        int other;
        using (var db = _server.Open())
            other = OneJob.Take(db, EngineCatalogue.Tasso).EngineId;
        using var scope = _server.App.Services.CreateScope();
        var figures = scope.ServiceProvider.GetRequiredService<KnownFigures>();
        Assert.Equal(1, figures.Import(other, new MemoryStream(file)));
        var taken = Assert.Single(figures.Of(other));
        Assert.Equal(("Cylinder 3", 55, 65, "relative-compression"), (taken.Name, taken.Least, taken.Most, taken.Kind));
        foreach (
            var (wrong, said) in new[]
            {
                ("{", "line 1"),
                ("[]", "no file of figures"),
                ("{\"figures\":[]}", "1 to 2000"),
                ("{\"figures\":[null]}", "Figure 1"),
                ("{\"figures\":[{\"reading\":\"nothing\",\"name\":\"a\",\"most\":1}]}", "no reading 'nothing'"),
                (
                    "{\"figures\":[{\"reading\":\"knock\",\"name\":\"At worst\",\"most\":1},{\"reading\":\"knock\",\"name\":\"b\"}]}",
                    "Figure 2"
                ),
            }
        )
        {
            var error = Assert.Throws<ReadingException>(() => figures.Import(other, new MemoryStream(Encoding.UTF8.GetBytes(wrong))));
            Assert.Contains(said, error.Message, StringComparison.Ordinal);
        }

        Assert.Single(figures.Of(other));
        // A full file goes in at once; of two for one question the later stands.
        var many = Enumerable.Range(0, 2_000).Select(i => $"{{\"reading\":\"knock\",\"name\":\"f{i % 1_999}\",\"most\":{i}}}");
        var full = Encoding.UTF8.GetBytes($"{{\"figures\":[{string.Join(",", many)}]}}");
        Assert.Equal(2_000, figures.Import(other, new MemoryStream(full)));
        Assert.Equal(2_000, figures.Of(other).Count());
        Assert.Equal(1_999, figures.Of(other).Single(f => f.Name == "f0").Most);
    }

    private Task<HttpResponseMessage> TypeAsync(string window) =>
        _page.PostAsync(
            $"/engines/{_engine}/figures",
            $"/engines/{_engine}/figures",
            ("Form.Kind", "relative-compression"),
            ("Form.Name", "Cylinder 3"),
            ("Form.Window", window),
            ("Form.Unit", "%")
        );

    private int Crank(CrankingPlan plan)
    {
        using var db = _server.Open();
        return OneJob.Keep(db, _job, "c", CrankingRun.Record(plan).Capture, new Conditions("cranking", 80, "fuel", null, "ignition", 1));
    }
}
