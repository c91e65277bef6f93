using Maschera.Formats;

namespace Maschera.Formats.Tests;

/// <summary>Names and units of headings, and the words for time in the languages instruments speak.</summary>
public class UnitsTests
{
    [Theory]
    [InlineData("Rail pressure (bar)", "Rail pressure", "bar")]
    [InlineData("Rail pressure [bar]", "Rail pressure", "bar")]
    [InlineData("Rail_pressure_bar", "Rail_pressure", "bar")]
    [InlineData("Speed [1/min]", "Speed", "1/min")]
    [InlineData("Injected (mg/st)", "Injected", "mg/st")]
    [InlineData("Cylinder (1) pressure (bar)", "Cylinder (1) pressure", "bar")]
    [InlineData("Bank 1 (left hand side of engine)", "Bank 1 (left hand side of engine)", "")]
    [InlineData("Channel_A", "Channel", "A")]
    [InlineData("Temperature (°C)", "Temperature", "°C")]
    [InlineData("  Duty (%) ", "Duty", "%")]
    [InlineData("(V)", "(V)", "")]
    [InlineData("", "", "")]
    public void A_heading_is_a_name_and_perhaps_a_unit(string heading, string name, string unit) =>
        Assert.Equal((name, unit), Units.Split(heading));

    [Theory]
    [InlineData("s", 1)]
    [InlineData("ms", 1e-3)]
    [InlineData("µs", 1e-6)]
    [InlineData("μs", 1e-6)]
    [InlineData("us", 1e-6)]
    [InlineData(" Sekunden ", 1)]
    [InlineData("min", 60)]
    public void Units_of_time_are_known(string unit, double seconds) => Assert.Equal(seconds, Units.Seconds(unit));

    [Theory]
    [InlineData("V")]
    [InlineData("rpm")]
    [InlineData("")]
    [InlineData("sample")]
    public void Others_are_no_time(string unit) => Assert.Null(Units.Seconds(unit));

    [Theory]
    [InlineData("Time", true)]
    [InlineData("Zeit", true)]
    [InlineData("TEMPS", true)]
    [InlineData("time_stamp", true)]
    [InlineData("t", true)]
    [InlineData("Time Boost actual", true)]
    [InlineData("Injection time", false)]
    [InlineData("Temperature", false)]
    [InlineData("Timing", false)]
    public void The_time_axis_is_told_by_its_name(string name, bool isTime) => Assert.Equal(isTime, Units.IsTimeName(name));

    [Theory]
    [InlineData("V", true, true)]
    [InlineData("(mg/st)", true, true)]
    [InlineData("", true, true)]
    [InlineData("[furlong]", false, true)]
    [InlineData("mg/hub", false, true)]
    [InlineData("Engine speed", false, false)]
    [InlineData("12.5", false, false)]
    public void A_cell_is_a_unit_could_be_one_or_is_none(string cell, bool looks, bool could)
    {
        Assert.Equal(looks, Units.LooksLikeUnit(cell));
        Assert.Equal(could, Units.CouldBeUnit(cell));
    }

    [Theory]
    [InlineData("(V)", "V")]
    [InlineData("[ bar ]", "bar")]
    [InlineData("V", "V")]
    [InlineData("(", "(")]
    [InlineData("(V]", "(V]")]
    public void Brackets_come_off_in_pairs(string cell, string bare) => Assert.Equal(bare, Units.Bare(cell));

    [Theory]
    [InlineData("U/V", "U", "V")]
    [InlineData("Engine speed/rpm", "Engine speed", "rpm")]
    [InlineData("RPM/rpm", "RPM", "rpm")]
    [InlineData("n/rpm", "n", "rpm")]
    [InlineData("p/bar", "p", "bar")]
    [InlineData("Speed/km/h", "Speed", "km/h")]
    [InlineData("Road speed km/h", "Road speed km/h", "")]
    [InlineData("km/h", "km/h", "")]
    [InlineData("bar/s", "bar/s", "")]
    [InlineData("A/C", "A/C", "")]
    [InlineData("A/F", "A/F", "")]
    [InlineData("On/Off", "On/Off", "")]
    [InlineData("Bank 1/2", "Bank 1/2", "")]
    [InlineData("Pressure, kPa", "Pressure", "kPa")]
    [InlineData("Sensor 1, left", "Sensor 1, left", "")]
    public void A_unit_may_stand_behind_a_stroke_or_a_comma(string heading, string name, string unit) =>
        Assert.Equal((name, unit), Units.Split(heading));
}
