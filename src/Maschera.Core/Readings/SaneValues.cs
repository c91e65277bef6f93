using Maschera.Core.Basics;
using Maschera.Core.Signals;

namespace Maschera.Core.Readings;

/// <summary>Keeps values that can be none, which would drown every sum, from the readings.</summary>
internal static class SaneValues
{
    /// <summary>No quantity of an engine reaches this in any unit; what does is a logger's sign for a missing value.</summary>
    private const float Beyond = 1e18f;

    /// <summary>What is said of it.</summary>
    public static Note Said { get; } =
        new("beyond-sense", "Values beyond 1e18 are taken for missing: no quantity of an engine reaches that in any unit.");

    /// <summary>The request with such values missing; the same one where there are none.</summary>
    public static ReadingRequest Of(ReadingRequest request)
    {
        var captures = request.MoreReferences.Select(m => m.Capture).Append(request.Capture).Append(request.Reference).OfType<Capture>();
        return captures.Any(HasBeyond)
            ? request with
            {
                Capture = Of(request.Capture),
                Reference = request.Reference is { } reference ? Of(reference) : null,
                MoreReferences = [.. request.MoreReferences.Select(m => m with { Capture = Of(m.Capture) })],
            }
            : request;
    }

    private static Capture Of(Capture capture) =>
        capture with
        {
            Channels =
            [
                .. capture.Channels.Select(c => c with { Samples = Array.ConvertAll(c.Samples, v => IsBeyond(v) ? float.NaN : v) }),
            ],
        };

    private static bool HasBeyond(Capture capture) =>
        capture.Channels.Any(c => c.Samples.AsSpan().ContainsAnyExceptInRange(-Beyond, Beyond) && Array.Exists(c.Samples, IsBeyond));

    private static bool IsBeyond(float value) => Math.Abs(value) > Beyond;
}
