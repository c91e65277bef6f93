using System.Text.Json.Serialization;

namespace Maschera.Core.Engines;

/// <summary>How an engine sits in the vehicle, so that a cylinder can be pointed at. Sides are the vehicle's, seen by its driver.</summary>
/// <param name="FirstEnd">
/// The side of the vehicle at which the engine's end with the first cylinder of each bank lies: front or rear where the crank lies
/// lengthwise, left or right where it lies crosswise.
/// </param>
/// <param name="FirstBank">
/// The side at which the first bank lies: left or right lengthwise, front or rear crosswise; null for one row.
/// </param>
public sealed record Mounting(string FirstEnd, string? FirstBank = null)
{
    /// <summary>True where the crank lies across the vehicle.</summary>
    [JsonIgnore]
    public bool Crosswise => FirstEnd is "left" or "right";

    /// <summary>True where both sides are known words that fit each other.</summary>
    [JsonIgnore]
    public bool IsKnown =>
        FirstEnd is "front" or "rear" && FirstBank is null or "left" or "right"
        || FirstEnd is "left" or "right" && FirstBank is null or "front" or "rear";
}

/// <summary>Where a cylinder sits.</summary>
/// <param name="Cylinder">Its number.</param>
/// <param name="Along">Its place along the crank, counted from the front lengthwise, from the left crosswise; from 0.</param>
/// <param name="Row">Cylinders in its bank.</param>
/// <param name="Side">The side of its bank; null for one row.</param>
/// <param name="Crosswise">True where the crank lies across the vehicle.</param>
public sealed record Seat(int Cylinder, int Along, int Row, string? Side, bool Crosswise)
{
    private static readonly string[] s_ordinals = ["first", "second", "third", "fourth", "fifth", "sixth", "seventh", "eighth"];

    /// <summary>Where a hand finds it: "third from the front on the left".</summary>
    public string Said
    {
        get
        {
            var place =
                Row == 1 ? "" : $"{s_ordinals.ElementAtOrDefault(Along) ?? $"{Along + 1}th"} from the {(Crosswise ? "left" : "front")}";
            var side =
                Side is null ? ""
                : Crosswise ? $"in the {Side} row"
                : $"on the {Side}";
            return $"{place} {side}".Trim();
        }
    }

    /// <summary>The seats of an engine's cylinders, bank after bank; empty where nobody said how it sits.</summary>
    public static IReadOnlyList<Seat> Of(Engine engine)
    {
        if (engine.Mounting is not { IsKnown: true } mounting)
            return [];
        var banks = engine.Banks is { Count: > 0 } given
            ? given
            :
            [
                [.. Enumerable.Range(1, engine.Cylinders)],
            ];
        var sides = mounting.FirstBank is { } first && banks.Count == 2 ? new[] { first, Opposite(first) } : null;
        var counted = mounting.FirstEnd is "front" or "left";
        return
        [
            .. banks.SelectMany(
                (bank, b) =>
                    bank.Select(
                        (cylinder, i) => new Seat(cylinder, counted ? i : bank.Count - 1 - i, bank.Count, sides?[b], mounting.Crosswise)
                    )
            ),
        ];
    }

    /// <summary>Where one cylinder sits, in words; null where nobody said.</summary>
    public static string? Of(Engine engine, int cylinder) =>
        Of(engine).FirstOrDefault(s => s.Cylinder == cylinder)?.Said is { Length: > 0 } said ? said : null;

    private static string Opposite(string side) =>
        side switch
        {
            "left" => "right",
            "right" => "left",
            "front" => "rear",
            _ => "front",
        };
}
