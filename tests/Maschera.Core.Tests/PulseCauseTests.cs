using Maschera.Core.Engines;
using Maschera.Core.Readings.Pulses;
using static Maschera.Core.Tests.PulseBench;

namespace Maschera.Core.Tests;

/// <summary>
/// Pulses made of each cylinder's own course, so that what is missing and what comes on top is known to the last degree: which of the
/// causes that look alike is taken, and where none is.
/// </summary>
public class PulseCauseTests
{
    public static TheoryData<int, int, int> Neighbours
    {
        get
        {
            var data = new TheoryData<int, int, int>();
            for (var place = 0; place < 5; place++)
                data.Add(place, (place + 1) % 5, 40);
            for (var place = 0; place < 5; place += 2)
                data.Add(place, (place + 1) % 5, 60);
            return data;
        }
    }

    [Theory]
    [MemberData(nameof(Neighbours))]
    public void Two_neighbours_of_five_that_do_not_burn_are_both_named_though_the_pipe_rings(int first, int second, int echo)
    {
        var engine = Of(5);
        double[] burns = [.. Enumerable.Range(0, 5).Select(place => place == first || place == second ? 0.1 : 1)];
        var result = Read(Made(degrees => Sum(engine, burns, d => BlowDown(d, echo), degrees), "Exhaust"), engine, "exhaust", 1);
        int[] odd = [.. new[] { first, second }.Select(place => engine.FiringOrder[place]).Order()];
        Assert.Equal(odd, result.Cylinders.Where(c => c.IsOdd).Select(c => c.Cylinder));
    }

    [Theory]
    [InlineData(5, 2)]
    [InlineData(6, 2)]
    [InlineData(8, 3)]
    public void Of_two_with_different_faults_the_one_that_is_named_is_not_said_to_be_all(int cylinders, int apart)
    {
        var engine = Of(cylinders);
        for (var place = 0; place < cylinders; place++)
        {
            double[] burns = [.. Enumerable.Range(0, cylinders).Select(p => p == place ? 0 : 1)];
            // The other one's valve opens late: what it blows out comes later, and is no less.
            var late = 720.0 / cylinders * ((place + apart) % cylinders);
            double Late(double degrees) => BlowDown(degrees - late - 30, 40) - BlowDown(degrees - late, 40);
            double Misfire(double degrees) => Sum(engine, burns, d => BlowDown(d, 40), degrees);
            var one = Read(Made(Misfire, "Exhaust"), engine, "exhaust", 1);
            Assert.Equal(engine.FiringOrder[place], Assert.Single(one.Cylinders, c => c.IsOdd).Cylinder);
            Assert.DoesNotContain(one.Notes, n => n.Code == "part-explained");
            var both = Read(Made(degrees => Misfire(degrees) + Late(degrees), "Exhaust"), engine, "exhaust", 1);
            var named = both.Cylinders.Count(c => c.IsOdd);
            Assert.True(named != 1 || both.Notes.Any(n => n.Code == "part-explained"), both.Sentence);
        }
    }

    [Theory]
    [InlineData(5, 1)]
    [InlineData(6, 2)]
    [InlineData(8, 3)]
    public void Two_that_draw_less_along_any_course_are_both_named(int cylinders, int apart)
    {
        var engine = Of(cylinders);
        for (var place = 0; place < cylinders; place++)
        {
            int[] places = [place, (place + apart) % cylinders];
            double[] draws = [.. Enumerable.Range(0, cylinders).Select(p => places.Contains(p) ? 0.55 : 1)];
            var result = Read(Made(degrees => Sum(engine, draws, Suction, degrees)), engine, "intake", 1);
            Assert.Equal(places.Select(p => engine.FiringOrder[p]).Order(), result.Cylinders.Where(c => c.IsOdd).Select(c => c.Cylinder));
        }
    }

    [Theory]
    [InlineData(4)]
    [InlineData(5)]
    [InlineData(6)]
    [InlineData(8)]
    public void Gas_through_a_leaking_valve_is_not_laid_to_a_cylinder_that_draws_well(int cylinders)
    {
        var engine = Of(cylinders);
        foreach (var (place, cylinder) in engine.FiringOrder.Index())
        {
            double Leak(double degrees) => 1.5 * Bump(degrees - 720.0 / cylinders * place - 25, 32);
            double[] draws = [.. Enumerable.Repeat(1.0, cylinders)];
            var result = Read(Made(degrees => Sum(engine, draws, Suction, degrees) + Leak(degrees)), engine, "intake", 1);
            var odd = result.Cylinders.Where(c => c.IsOdd).Select(c => c.Cylinder).ToList();
            var isSaid = result.Notes.Any(n => n.Code == "either" && n.Text.Contains($"cylinder {cylinder} ", StringComparison.Ordinal));
            Assert.True(odd.SequenceEqual([cylinder]) || isSaid, $"{cylinder}: {result.Sentence}");
        }
    }

    [Theory]
    [InlineData(0.25, "even")]
    [InlineData(1.5, "unusable")]
    public void What_no_blow_down_explains_is_laid_on_nobody(double size, string verdict)
    {
        var engine = Of(8);
        // It swings faster than any stroke and all through the cycle.
        double Odd(double degrees) => Math.Sin(degrees * Math.PI * 13 / 360) + Math.Sin(degrees * Math.PI * 11 / 360 + 1);
        double[] burns = [.. Enumerable.Repeat(1.0, 8)];
        var result = Read(
            Made(degrees => Sum(engine, burns, d => BlowDown(d, 40), degrees) + size * 0.3 * Odd(degrees), "Exhaust"),
            engine,
            "exhaust",
            1
        );
        Assert.True(result.Verdict == verdict, result.Sentence);
        var note = Assert.Single(result.Notes, n => n.Code == "unexplained");
        Assert.Contains("blow-down", note.Text, StringComparison.Ordinal);
        Assert.Contains("misfires with the crank sensor", note.Text, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData(3)]
    [InlineData(4)]
    [InlineData(5)]
    [InlineData(6)]
    [InlineData(8)]
    public void A_cylinder_that_has_burnt_little_sucks_back_as_its_exhaust_opens_and_is_named_itself(int cylinders)
    {
        var engine = Of(cylinders);
        foreach (var (place, cylinder) in engine.FiringOrder.Index())
        {
            double SucksBack(double degrees) => -0.9 * Bump(degrees - 720.0 / cylinders * place - 152, 14);
            double[] burns = [.. Enumerable.Repeat(1.0, cylinders)];
            var result = Read(
                Made(degrees => Sum(engine, burns, Displaced, degrees) + SucksBack(degrees), "Exhaust"),
                engine,
                "exhaust",
                1
            );
            Assert.Equal([cylinder], result.Cylinders.Where(c => c.IsOdd).Select(c => c.Cylinder));
        }
    }

    [Theory]
    [InlineData("exhaust")]
    [InlineData("intake")]
    public void Cylinders_that_fire_unevenly_are_compared_with_those_that_fire_like_them(string at)
    {
        var engine = Of(6) with { FiringAngles = [0, 90, 240, 330, 480, 570] };
        Func<double, double> pulse = at == "exhaust" ? Displaced : Suction;
        var pickUp = at == "exhaust" ? "Exhaust" : "Intake";
        double[] alike = [.. Enumerable.Repeat(1.0, 6)];
        Assert.Equal("even", Read(Made(degrees => Sum(engine, alike, pulse, degrees), pickUp), engine, at, 1).Verdict);
        foreach (var (place, cylinder) in engine.FiringOrder.Index())
        {
            double[] weak = [.. alike.Select((strength, p) => p == place ? 0.5 : strength)];
            var result = Read(Made(degrees => Sum(engine, weak, pulse, degrees), pickUp), engine, at, 1);
            Assert.Equal([cylinder], result.Cylinders.Where(c => c.IsOdd).Select(c => c.Cylinder));
        }
    }

    [Fact]
    public void Of_three_that_fire_alike_the_two_that_may_do_the_opposite_are_said()
    {
        var engine = Of(6) with { FiringAngles = [0, 90, 240, 330, 480, 570] };
        foreach (var (place, cylinder) in engine.FiringOrder.Index())
        {
            double[] weak = [.. Enumerable.Range(0, 6).Select(p => p == place ? 0.5 : 1)];
            var result = Read(Made(degrees => Sum(engine, weak, Displaced, degrees), "Exhaust"), engine, "exhaust", 1);
            var alike = engine.FiringOrder.Where((other, p) => p % 2 == place % 2 && other != cylinder).Order();
            var note = Assert.Single(result.Notes, n => n.Code == "others-instead");
            Assert.Contains($"3 cylinders that fire alike don't tell well who: it may be {cylinder}", note.Text, StringComparison.Ordinal);
            Assert.Contains($"or {string.Join(" and ", alike)} together", note.Text, StringComparison.Ordinal);
        }

        double[] one = [0.5, 1, 1, 1, 1, 1];
        var even = Read(Made(degrees => Sum(Of(6), one, Displaced, degrees), "Exhaust"), Of(6), "exhaust", 1);
        Assert.DoesNotContain(even.Notes, n => n.Code == "others-instead");
    }

    [Fact]
    public void Of_cylinders_none_of_which_fires_like_two_others_none_is_named()
    {
        var engine = Of(4) with { FiringAngles = [0, 270, 360, 630] };
        var result = Read(Made(degrees => Sum(engine, [1, 1, 1, 0.3], Displaced, degrees), "Exhaust"), engine, "exhaust", 1);
        Assert.Equal("unusable", result.Verdict);
        Assert.Empty(result.Cylinders);
        Assert.Contains("firings are uneven", Assert.Single(result.Notes).Text, StringComparison.Ordinal);
    }

    /// <summary>Blow-downs that come a little earlier and later, stronger and weaker, as those of sound engines do.</summary>
    [Theory]
    [InlineData(5)]
    [InlineData(6)]
    [InlineData(8)]
    public void What_several_sound_cylinders_do_a_little_is_laid_on_none(int cylinders)
    {
        var engine = Of(cylinders);
        var chance = new Random(1);
        double Drawn(double spread) => spread * (chance.NextDouble() + chance.NextDouble() + chance.NextDouble() - 1.5) * 2;
        var named = 0;
        for (var draw = 0; draw < 10; draw++)
        {
            (double Late, double Strong)[] each = [.. Enumerable.Range(0, cylinders).Select(_ => (Drawn(1.5), 1 + Drawn(0.06)))];
            double Pulses(double degrees) =>
                each.Select((own, place) => own.Strong * BlowDown(degrees - 720.0 / cylinders * place - own.Late, 40)).Sum();
            named += Read(Made(Pulses, "Exhaust"), engine, "exhaust", 1).Cylinders.Any(c => c.IsOdd) ? 1 : 0;
        }

        Assert.True(named <= 1, $"{named} of 10 sound engines are called odd");
    }

    private static PulsesResult Read(Maschera.Core.Signals.Capture capture, Engine engine, string at, double transit) =>
        PulseBench.Read(capture, engine, at, options: ("transit", FormattableString.Invariant($"{transit}")));

    /// <summary>All cylinders' courses, each so strong and begun at its own firing TDC.</summary>
    private static double Sum(Engine engine, double[] strengths, Func<double, double> course, double degrees) =>
        engine.Angles().Index().Sum(place => strengths[place.Index] * course(degrees - place.Item));

    /// <summary>Pressure rises as the exhaust valve opens, and the pipe's end sends it back turned over, again and again.</summary>
    private static double BlowDown(double degrees, double echo) =>
        Enumerable.Range(0, 4).Sum(times => Math.Pow(-0.5, times) * Bump(degrees - 187 - times * echo, 16));

    /// <summary>At idle hardly anything blows down as the exhaust valve opens; what the piston pushes out makes the pulse.</summary>
    private static double Displaced(double degrees) => 0.25 * Bump(degrees - 160, 16) + 0.6 * Bump(degrees - 265, 45);
}
