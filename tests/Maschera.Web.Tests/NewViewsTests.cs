using Maschera.Core.Signals;
using Maschera.Store;

namespace Maschera.Web.Tests;

/// <summary>Readings of road, wheel, rail and start, asked for on the bench and shown on bench, job and report.</summary>
public sealed class NewViewsTests : IAsyncLifetime
{
    private ServerOnFolder _server = null!;
    private PageClient _page = null!;
    private Job _job = null!;

    public async ValueTask InitializeAsync()
    {
        _server = await ServerOnFolder.StartAsync((db, _) => _job = OneJob.Take(db));
        _page = new PageClient(_server);
    }

    public async ValueTask DisposeAsync()
    {
        _page.Dispose();
        await _server.DisposeAsync();
    }

    [Fact]
    public async Task Wheel_speeds_show_the_vehicle_from_above()
    {
        double Speed(int i) => Math.Min(60, i * 0.5);
        var bench = await Shown(
            "wheel-speeds",
            [
                OneJob.Made("Front left wheel", "km/h", 0.1, 900, Speed),
                OneJob.Made("Front right wheel", "km/h", 0.1, 900, Speed),
                OneJob.Made("Rear left wheel", "km/h", 0.1, 900, Speed),
                OneJob.Made("Rear right wheel", "km/h", 0.1, 900, i => i < 300 ? Speed(i) : 0),
            ]
        );
        Assert.Contains("The vehicle from above", bench, StringComparison.Ordinal);
        Assert.Contains("Rear right gives nothing", bench, StringComparison.Ordinal);
    }

    [Fact]
    public async Task Pulses_show_the_ring_with_its_missing_tooth()
    {
        var bench = await Shown(
            "pulse-count",
            [
                OneJob.Made("Wheel sensor", "V", 0.001, 12_000, i => i / 20 % 30 != 7 && i % 20 < 10 ? 4.8 : 0.3),
                OneJob.Made("Mark", "V", 0.001, 12_000, i => i % 600 is >= 105 and < 110 ? 4.5 : 0.1),
            ],
            ("options[target]", "30")
        );
        Assert.Contains("The ring tooth by tooth", bench, StringComparison.Ordinal);
        Assert.Contains("gone in every turn", bench, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_hold_shows_its_decay_against_the_limit()
    {
        var bench = await Shown(
            "pressure-hold",
            [
                OneJob.Made("Fuel pressure", "bar", 0.1, 800, i => i < 60 ? 4 + 0.03 * Math.Sin(i) : 3.9 - 0.001 * (i - 60)),
                OneJob.Made("Pump voltage", "V", 0.1, 800, i => i < 60 ? 13 : 0),
            ]
        );
        Assert.Contains("Pressure over the time since the pump stopped", bench, StringComparison.Ordinal);
        Assert.Contains("leaks away", bench, StringComparison.Ordinal);
    }

    [Fact]
    public async Task Injectors_stand_in_the_order_fired_and_in_the_ledger()
    {
        double Pressure(int i) =>
            4 - 0.4 * Enumerable.Range(0, 4).Sum(k => Math.Clamp((i - 500 - 1_000 * k) / 100.0, 0, 1) * (k == 2 ? 0.7 : 1));
        var bench = await Shown(
            "injector-balance",
            [
                OneJob.Made("Rail pressure", "bar", 0.001, 4_500, i => Pressure(i) + 0.001 * (i % 3 - 1)),
                OneJob.Made("Injector pulse", "V", 0.001, 4_500, i => i % 1_000 is >= 500 and < 600 ? 0.4 : 12.4),
            ]
        );
        Assert.Contains("Flow of each injector", bench, StringComparison.Ordinal);
        Assert.Contains("Injector 4 gives", bench, StringComparison.Ordinal);
    }

    [Fact]
    public async Task Knock_shows_what_each_thing_speaks_for()
    {
        bool Pull(int i) => i % 300 is > 200 and < 260;
        var bench = await Shown(
            "knock",
            [
                OneJob.Made("Knock retard", "°", 0.1, 900, i => i % 300 is > 215 and < 240 ? 8 : 0),
                OneJob.Made("Engine load", "%", 0.1, 900, i => Pull(i) ? 90 : 30),
                OneJob.Made("Engine speed", "rpm", 0.1, 900, i => Pull(i) ? 3_500 : 2_000),
                OneJob.Made("Coolant temperature", "°C", 0.1, 900, _ => 110),
            ]
        );
        Assert.Contains("Retard against load", bench, StringComparison.Ordinal);
        Assert.Contains("likely real knock", bench, StringComparison.Ordinal);
    }

    [Fact]
    public async Task Start_conditions_stand_as_gates_in_a_row()
    {
        bool Turned(int i) => i is > 20 and < 80;
        var bench = await Shown(
            "start-conditions",
            [
                OneJob.Made("Engine speed", "rpm", 0.1, 100, i => Turned(i) ? 210 : 0),
                OneJob.Made("Battery voltage", "V", 0.1, 100, i => Turned(i) ? 10.4 : 12.5),
                OneJob.Made("Cam crank sync", "", 0.1, 100, _ => 0),
            ]
        );
        Assert.Contains("What it takes to start, in order", bench, StringComparison.Ordinal);
        Assert.Contains("Cam and crank never come into step", bench, StringComparison.Ordinal);
    }

    /// <summary>Keeps a capture, asks for a reading, looks at job and report as well, and returns the bench's page.</summary>
    private async Task<string> Shown(string kind, Channel[] channels, params (string Name, string Value)[] fields)
    {
        int id;
        using (var db = _server.Open())
            id = OneJob.Keep(db, db.Jobs.First(j => j.Id == _job.Id), kind, channels);
        var page = $"/bench/{id}";
        await _page.PostAsync(page, page, fields.Append(("kind", kind)));
        var bench = await _page.ReadAsync($"{page}?kind={kind}");
        foreach (var html in (string[])[bench, await _page.ReadAsync($"/jobs/{_job.Id}"), await _page.ReadAsync($"/jobs/{_job.Id}/report")])
            Assert.DoesNotContain("NaN", html, StringComparison.Ordinal);
        return bench;
    }
}
