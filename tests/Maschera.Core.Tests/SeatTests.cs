using Maschera.Core.Engines;

namespace Maschera.Core.Tests;

/// <summary>Where a hand finds a cylinder.</summary>
public sealed class SeatTests
{
    private static readonly Engine s_eight = new()
    {
        Cylinders = 8,
        FiringOrder = [1, 8, 4, 3, 6, 5, 7, 2],
        Banks =
        [
            [1, 3, 5, 7],
            [2, 4, 6, 8],
        ],
    };

    [Theory]
    [InlineData("front", "left", 7, "fourth from the front on the left")]
    [InlineData("front", "left", 2, "first from the front on the right")]
    [InlineData("rear", "right", 3, "third from the front on the right")]
    [InlineData("rear", "right", 8, "first from the front on the left")]
    [InlineData("left", "front", 5, "third from the left in the front row")]
    [InlineData("right", "front", 2, "fourth from the left in the rear row")]
    [InlineData("front", null, 5, "third from the front")]
    public void A_cylinder_is_counted_from_the_front_or_from_the_left_on_its_side(string end, string? bank, int cylinder, string said) =>
        Assert.Equal(said, Seat.Of(s_eight with { Mounting = new Mounting(end, bank) }, cylinder));

    [Fact]
    public void One_row_counts_its_cylinders_from_the_end_that_was_said()
    {
        var four = new Engine { Cylinders = 4, FiringOrder = [1, 3, 4, 2] };
        Assert.Equal("first from the left", Seat.Of(four with { Mounting = new Mounting("left") }, 1));
        Assert.Equal("fourth from the left", Seat.Of(four with { Mounting = new Mounting("right") }, 1));
        Assert.Null(Seat.Of(four, 1));
        Assert.Null(Seat.Of(four with { Mounting = new Mounting("left") }, 9));
    }

    [Theory]
    [InlineData("top", null)]
    [InlineData("front", "rear")]
    [InlineData("left", "right")]
    public void Sides_that_do_not_fit_each_other_are_a_problem_of_the_engine_and_seat_nobody(string end, string? bank)
    {
        var engine = s_eight with { Mounting = new Mounting(end, bank) };
        Assert.Contains(engine.Problems(), p => p.Field == nameof(Engine.Mounting));
        Assert.Empty(Seat.Of(engine));
    }

    [Fact]
    public void Every_seat_of_an_engine_is_another_one()
    {
        foreach (var end in new[] { "front", "rear", "left", "right" })
        foreach (var bank in end is "front" or "rear" ? new[] { "left", "right" } : ["front", "rear"])
            Assert.Equal(8, Seat.Of(s_eight with { Mounting = new Mounting(end, bank) }).Select(s => s.Said).Distinct().Count());
    }
}
