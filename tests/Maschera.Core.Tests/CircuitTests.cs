using Maschera.Core.Readings;
using Maschera.Core.Readings.Circuit;
using Maschera.Formats;

namespace Maschera.Core.Tests;

/// <summary>Sheets of what was measured at a component.</summary>
public class CircuitTests
{
    private const string Battery = "battery +,battery -,voltage,12.6,V,\"key on, loaded\"\n";

    [Theory]
    [InlineData("ground,battery -,voltage,0.03,V,loaded", "ground", "sound")]
    [InlineData("battery -,ground,voltage,-80,mV,\"key on, loaded\"", "ground", "sound")]
    [InlineData("ground,battery -,voltage,0.4,V,loaded", "ground", "high-resistance")]
    [InlineData("ground,chassis,voltage,12.2,V,\"key on, loaded\"\nsupply,battery -,voltage,12.4,V,\"key on, loaded\"", "ground", "open")]
    [InlineData("battery +,ground,voltage,11.9,V,\"key on, loaded\"", "ground", "high-resistance")]
    [InlineData("ground,battery +,voltage,-12.58,V,\"key on, loaded\"", "ground", "not-measured")]
    [InlineData("battery +,ground,voltage,0.02,V,\"key on, unplugged\"", "ground", "open")]
    [InlineData("ground,battery -,resistance,OL,Ohm,\"unplugged, key off\"", "ground", "open")]
    [InlineData("ground,battery -,resistance,48,Ohm,\"unplugged, key off\"", "ground", "high-resistance")]
    [InlineData("ground,battery -,voltage,0.02,V,key on", "ground", "not-measured")]
    [InlineData("ground,battery -,resistance,0.1,Ohm,\"unplugged, key off\"", "ground", "not-measured")]
    [InlineData("ground,battery -,resistance,300,Ohm,\"key on, circuit live\"", "ground", "not-measured")]
    [InlineData("supply,battery -,voltage,12.3,V,\"key on, loaded\"", "supply", "sound")]
    [InlineData("supply,battery -,voltage,11.2,V,\"key on, loaded\"", "supply", "high-resistance")]
    [InlineData("supply,battery -,voltage,0.1,V,\"key on, loaded\"", "supply", "open")]
    [InlineData("battery +,supply,voltage,0.9,V,\"key on, loaded\"", "supply", "high-resistance")]
    [InlineData("supply,battery -,voltage,11.2,V,\"cranking\"", "supply", "not-measured")]
    [InlineData("supply 5V,module ground,voltage,4.95,V,\"key on, loaded\"", "supply 5v", "sound")]
    [InlineData("supply 5V,module ground,voltage,4.2,V,\"key on, loaded\"", "supply 5v", "high-resistance")]
    [InlineData("supply 5V,module ground,voltage,12.4,V,key on", "supply 5v", "short-to-supply")]
    [InlineData("supply 5V,battery +,resistance,OL,Ohm,\"unplugged, key off\"", "supply 5v", "not-measured")]
    [InlineData("supply 5V,battery +,resistance,2,Ohm,\"unplugged, key off\"", "supply 5v", "short-to-supply")]
    [InlineData("supply 5V,ground,resistance,0.4,Ohm,\"unplugged, key off\"", "supply 5v", "short-to-ground")]
    [InlineData("signal,ground,voltage,12.5,V,\"key on, unplugged\"", "signal", "short-to-supply")]
    [InlineData("signal,chassis,resistance,0.8,Ohm,\"unplugged, key off\"", "signal", "short-to-ground")]
    [InlineData("signal,supply 5V,resistance,1.2,Ohm,\"unplugged, key off\"", "signal", "short-to-supply")]
    [InlineData("signal,signal 2,resistance,0.5,Ohm,\"unplugged, key off\"", "signal", "short-to-signal")]
    [InlineData("signal,module signal,voltage,1,mV,\"key on, loaded\"", "signal", "sound")]
    [InlineData("signal,module signal,resistance,∞,Ohm,\"unplugged, key off\"", "signal", "open")]
    [InlineData(
        "signal,ground,voltage,0.01,V,\"key on, unplugged\"\nmodule signal,module ground,voltage,5.0,V,\"key on, unplugged\"",
        "signal",
        "open"
    )]
    public void Each_wire_is_judged_by_its_limit(string rows, string wire, string state)
    {
        var result = Read(Battery + rows);
        var said = Assert.Single(result.Wires, w => w.Wire == wire);
        Assert.True(said.State == state, $"{said.State}: {said.Text}");
        Assert.Equal(
            said.IsFaulty ? "fault"
                : state == "sound" ? "sound"
                : "unusable",
            result.Verdict
        );
    }

    [Fact]
    public void What_lacks_across_the_component_lies_in_the_supply_where_the_ground_is_known()
    {
        const string Across = "supply,ground,voltage,10.4,V,\"key on, loaded\"\n";
        var known = Read(Battery + Across + "ground,battery -,voltage,0.03,V,\"key on, loaded\"");
        var supply = Assert.Single(known.Wires, w => w.Wire == "supply");
        Assert.Equal(("high-resistance", 2.17), (supply.State, supply.Figure));
        Assert.Equal("sound", Assert.Single(known.Wires, w => w.Wire == "ground").State);

        var alone = Read(Battery + Across);
        Assert.Equal("unusable", alone.Verdict);
        Assert.Contains(alone.Notes, n => n.Code == "lost-somewhere");
    }

    [Theory]
    [InlineData(
        "supply,battery -,voltage,12.4,V,\"key on, loaded\"\nsupply,ground,resistance,0.9,Ohm,\"key off, unplugged\"",
        "sound",
        true
    )]
    [InlineData(
        "supply,battery -,voltage,9.4,V,\"key on, loaded\"\nsupply,ground,resistance,4,Ohm,\"key off, unplugged\"",
        "high-resistance",
        true
    )]
    [InlineData("battery +,supply,voltage,0.2,V,\"key on, loaded\"\nsupply,chassis,resistance,1,Ohm,\"key off, unplugged\"", "sound", true)]
    [InlineData("supply,ground,resistance,6,Ohm,\"key off, unplugged\"", "not-measured", true)]
    [InlineData("supply,ground,resistance,0.4,Ohm,\"key off, unplugged\"", "short-to-ground", false)]
    [InlineData(
        "supply,battery -,voltage,0,V,\"key on, loaded\"\nsupply,ground,resistance,0.4,Ohm,\"key off, unplugged\"",
        "short-to-ground",
        false
    )]
    [InlineData("supply,battery -,voltage,0,V,\"key on, loaded\"\nsupply,ground,resistance,5,Ohm,\"key off, unplugged\"", "open", true)]
    public void Few_ohms_of_a_feed_are_a_short_only_where_nothing_else_can_be_meant(string rows, string state, bool said)
    {
        var result = Read(Battery + rows);
        Assert.Equal(state, result.Wires.Single(w => w.Wire == "supply").State);
        Assert.Equal(said, result.Notes.Any(n => n.Code == "other-consumers"));
    }

    [Theory]
    [InlineData(4.97, "sound", true)]
    [InlineData(0.03, "short-to-ground", false)]
    public void A_regulated_supply_that_stands_under_load_touches_no_ground(double volts, string state, bool said)
    {
        var result = Read(
            Battery
                + string.Create(
                    System.Globalization.CultureInfo.InvariantCulture,
                    $"supply 5V,module ground,voltage,{volts},V,\"key on, loaded\"\n"
                )
                + "supply 5V,module ground,resistance,12,Ohm,\"key off, unplugged\""
        );
        Assert.Equal(state, result.Wires.Single(w => w.Wire.StartsWith("supply", StringComparison.Ordinal)).State);
        Assert.Equal(said, result.Notes.Any(n => n.Code == "other-consumers"));
    }

    [Fact]
    public void Order_of_the_rows_units_and_swapped_leads_change_no_verdict()
    {
        string[] rows =
        [
            "ground,battery -,voltage,0.4,V,\"key on, loaded\"",
            "supply,battery -,voltage,12.3,V,\"key on, loaded\"",
            "signal,ground,resistance,1.2,Ohm,\"unplugged, key off\"",
            "signal 2,module signal 2,voltage,0.02,V,\"key on, loaded\"",
        ];
        string[] retold =
        [
            "battery -,ground,voltage,-400,mV,\"key on, loaded\"",
            "battery -,supply,voltage,-12300,mV,\"key on, loaded\"",
            "ground,signal,resistance,0.0012,kOhm,\"unplugged, key off\"",
            "module signal 2,signal 2,voltage,-20,mV,\"key on, loaded\"",
        ];
        string Told(IEnumerable<string> lines) =>
            string.Join("; ", Read(Battery + string.Join('\n', lines)).Wires.Select(w => $"{w.Wire} {w.State}"));
        Assert.Equal("ground high-resistance; supply sound; signal short-to-ground; signal 2 sound", Told(rows));
        for (var seed = 0; seed < 6; seed++)
        {
            var random = new Random(seed);
            Assert.Equal(Told(rows), Told(rows.Concat(retold).OrderBy(_ => random.Next())));
            Assert.Equal(Told(rows), Told(retold.OrderBy(_ => random.Next())));
        }
    }

    [Fact]
    public void A_sagging_battery_is_no_loss_of_the_supply()
    {
        var sheet = "battery +,battery -,voltage,9.8,V,cranking\nsupply,battery -,voltage,9.5,V,cranking\n" + Battery;
        Assert.Equal("sound", Read(sheet).Wires.Single(w => w.Wire == "supply").State);
    }

    [Fact]
    public void What_the_component_misses_though_its_supply_is_there_is_lost_in_its_ground()
    {
        var result = Read(Battery + "supply,battery -,voltage,12.5,V,\"key on, loaded\"\nsupply,ground,voltage,9.1,V,\"key on, loaded\"");
        Assert.Equal("high-resistance", result.Wires.Single(w => w.Wire == "ground").State);
        Assert.Equal("sound", result.Wires.Single(w => w.Wire == "supply").State);
    }

    [Fact]
    public void What_was_not_proved_is_named_and_live_ohms_are_noted()
    {
        var result = Read(
            Battery
                + "ground,battery -,voltage,20,mV,loaded\nsupply,battery -,voltage,12.5,V,key on\nground,battery -,resistance,200,Ohm,live"
        );
        Assert.Equal("sound", result.Verdict);
        Assert.Contains(result.Missing, m => m.StartsWith("supply", StringComparison.Ordinal));
        Assert.Contains(result.Notes, n => n.Code == "live-ohms");
        Assert.True(Read(Battery).IsUnusable);
    }

    [Fact]
    public void A_table_with_components_is_judged_one_by_one_and_written_as_it_was_read()
    {
        var text =
            "from,to,kind,value,unit,condition,component\nground,battery -,voltage,0.02,V,loaded,Boost sensor\n"
            + "signal,ground,resistance,OL,Ω,\"unplugged, key off\",Boost sensor\nground,battery -,voltage,0.6,V,loaded,Rail sensor\n";
        var sheet = CircuitSheetFile.Parse(text, "sheet.csv");
        Assert.Equal(text, CircuitSheetFile.Write(sheet));
        var result = (CircuitResult)
            new CircuitReading().Read(new ReadingRequest(new Signals.Capture("sheet.csv", [], [])) { Sheet = sheet });
        Assert.Equal("Rail sensor", Assert.Single(result.Wires, w => w.IsFaulty).Component);
        Assert.StartsWith("Rail sensor: The ground", result.Sentence, StringComparison.Ordinal);
        Assert.Contains(result.Notes, n => n.Code == "own-branch");
        var named = SheetPlan.Named(sheet, "sheet");
        Assert.Equal(["ground", "signal"], named.Components[0].Pins.Select(p => p.Terminal));
    }

    [Theory]
    [InlineData("ground,battery -,voltage,good,V,loaded", 3, "'good'")]
    [InlineData("ground,battery -,capacity,1,V,loaded", 3, "'capacity'")]
    [InlineData("ground,battery -,voltage,1,Ohm,loaded", 3, "'Ohm'")]
    [InlineData(",battery -,voltage,1,V,loaded", 3, "from")]
    [InlineData("ground,battery -,voltage,0.02,V,loaded", 2002, "2,000")]
    public void A_row_that_can_not_be_read_is_refused_with_its_line(string row, int line, string why)
    {
        var error = Assert.Throws<CaptureFormatException>(() => Read(Battery + string.Join('\n', Enumerable.Repeat(row, line - 2))));
        Assert.Equal(line, error.Line);
        Assert.Contains(why, error.Message, StringComparison.Ordinal);
    }

    [Fact]
    public void Semicolons_commas_in_numbers_and_quotes_are_read_alike()
    {
        var sheet = CircuitSheetFile.Parse(
            "# pump\nfrom;to;kind;value;unit;condition\n\"ground\";battery −;voltage;−0,12;V;\"running; loaded\"\n",
            "sheet.csv"
        );
        var row = Assert.Single(sheet.Rows);
        Assert.Equal(("ground", "battery -", -0.12, true), (row.From, row.To, row.Value, row.IsLoaded));
    }

    private static CircuitResult Read(string rows) =>
        (CircuitResult)
            new CircuitReading().Read(
                new ReadingRequest(new Signals.Capture("sheet.csv", [], []))
                {
                    Sheet = CircuitSheetFile.Parse("from,to,kind,value,unit,condition\n" + rows, "sheet.csv"),
                }
            );
}
