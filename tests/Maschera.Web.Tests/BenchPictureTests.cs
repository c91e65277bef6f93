using System.Globalization;
using System.Net.Http.Json;
using System.Xml.Linq;
using Maschera.App;
using Maschera.Core.Signals;
using Maschera.Store;

namespace Maschera.Web.Tests;

/// <summary>The picture taken out shows what the bench shows.</summary>
public sealed class BenchPictureTests : IAsyncLifetime
{
    private ServerOnFolder _server = null!;
    private int _capture,
        _good;
    private List<int> _channels = [];

    public async ValueTask InitializeAsync() =>
        _server = await ServerOnFolder.StartAsync(
            (db, _) =>
            {
                db.Jobs.Add(
                    new Job
                    {
                        Vehicle = "van 7",
                        Complaint = "c",
                        CreatedAt = DateTime.UtcNow,
                        Engine = new StoredEngine { Name = "e", Json = """{"cylinders":1,"firingOrder":[1]}""" },
                    }
                );
                db.SaveChanges();
                (_capture, _good) = (Keep(db, "before", 1), Keep(db, "good & sound", 3));
                _channels = [.. db.Channels.Where(c => c.CaptureId == _capture).OrderBy(c => c.Ordinal).Select(c => c.Id)];
            }
        );

    public ValueTask DisposeAsync() => _server.DisposeAsync();

    [Fact]
    public async Task Names_units_scale_and_conditions_are_on_it()
    {
        var svg = await PictureAsync();
        foreach (var word in (string[])["Left sensor, V", "Wave, bar", "seconds", "idle", "van 7: before", ">0.5<"])
            Assert.Contains(word, svg.ToString(), StringComparison.Ordinal);
        Assert.Empty(Dashed(svg));
    }

    [Fact]
    public async Task What_lies_underneath_is_dashed_named_and_on_the_same_scale()
    {
        await ArrangeAsync(new Comparison(_good, 0.25, 1));
        var svg = await PictureAsync();
        Assert.Contains("dashed: van 7: good & sound", svg.Descendants().Select(e => e.Value));
        Assert.Equal(3, Dashed(svg).Count);
        // The wave underneath is three times as high: the own one fills a third of the scale.
        Assert.Equal(3, Height(Dashed(svg)[2]) / Height(Solid(svg)[2]), 0.1);
        // It lies a quarter of a second later.
        Assert.Equal(0.25, (Top(Dashed(svg)[2]) - Top(Solid(svg)[2])) / (1200 - 84 - 20), 0.01);
    }

    [Fact]
    public async Task Jaws_and_pins_stand_where_they_are_and_say_what_they_say()
    {
        var caliper = new
        {
            channel = _channels[2],
            from = 0.2,
            to = 0.6,
        };
        (await _server.Client.PostAsJsonAsync($"/bench/{_capture}/calipers", caliper)).EnsureSuccessStatusCode();
        (await _server.Client.PostAsJsonAsync($"/bench/{_capture}/pins", new { at = 0.5, remark = "a < b" })).EnsureSuccessStatusCode();
        var svg = await PictureAsync();
        var words = svg.Descendants().Where(e => e.Name.LocalName == "text").ToList();
        var measured = Assert.Single(words, w => w.Value.Contains("400", StringComparison.Ordinal));
        Assert.Equal(84 + 0.4 * 1096, Number(measured, "x"), 1);
        Assert.Equal(84 + 0.5 * 1096, Number(Assert.Single(words, w => w.Value == "a < b"), "x"), 1);
        var late = await PictureAsync("from=0.7&to=0.9");
        Assert.DoesNotContain("a < b", late.Descendants().Select(e => e.Value));
    }

    [Fact]
    public async Task Sides_of_one_thing_have_one_scale()
    {
        var svg = Solid(await PictureAsync());
        Assert.Equal(2, Height(svg[1]) / Height(svg[0]), 0.05);
    }

    private async Task<XDocument> PictureAsync(string window = "from=0&to=1") =>
        XDocument.Parse(await _server.Client.GetStringAsync($"/bench/{_capture}/picture.svg?{window}"));

    private async Task ArrangeAsync(Comparison under)
    {
        var lanes = _channels.Select(c => new Lane(null, [new LaneChannel(c)])).ToList();
        var answer = await _server.Client.PutAsJsonAsync($"/bench/{_capture}/arrangement", new Arrangement(lanes, under));
        answer.EnsureSuccessStatusCode();
    }

    private static List<XElement> Dashed(XDocument svg) => [.. Traces(svg).Where(e => e.Attribute("stroke-dasharray") is not null)];

    private static List<XElement> Solid(XDocument svg) => [.. Traces(svg).Where(e => e.Attribute("stroke-dasharray") is null)];

    /// <summary>Traces stand in windows of their own.</summary>
    private static IEnumerable<XElement> Traces(XDocument svg) =>
        svg.Root!.Elements().Where(e => e.Name.LocalName == "svg").Elements().Where(e => e.Name.LocalName == "path");

    private static List<(double X, double Y)> Points(XElement path) =>
        [
            .. path.Attribute("d")!
                .Value.Split(['M', 'L'], StringSplitOptions.RemoveEmptyEntries)
                .Select(p => p.Split(' '))
                .Select(p => (double.Parse(p[0], CultureInfo.InvariantCulture), double.Parse(p[1], CultureInfo.InvariantCulture))),
        ];

    private static double Height(XElement path) => Points(path).Max(p => p.Y) - Points(path).Min(p => p.Y);

    /// <summary>Where a trace is highest.</summary>
    private static double Top(XElement path) => Points(path).MinBy(p => p.Y).X;

    private static double Number(XElement element, string name) =>
        double.Parse(element.Attribute(name)!.Value, CultureInfo.InvariantCulture);

    private static int Keep(MascheraDb db, string name, double size)
    {
        const int count = 4_000;
        var axis = TimeAxis.Uniform(-1, 1e-3, count);
        Channel Wave(string channel, string unit, double height) =>
            new(
                channel,
                unit,
                axis,
                [.. Enumerable.Range(0, count).Select(i => (float)(height * Math.Exp(-Math.Pow((i - 1_300) / 50.0, 2))))]
            );
        var capture = new Capture(name, [Wave("Left sensor", "V", 1), Wave("Right sensor", "V", 2), Wave("Wave", "bar", size)], []);
        return OneJob.Keep(db, 1, name, capture, new Conditions("idle", 80, null, null));
    }
}
