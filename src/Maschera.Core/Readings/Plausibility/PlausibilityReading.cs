using System.Text.Json.Serialization.Metadata;
using Maschera.Core.Basics;
using Maschera.Core.Quantities;

namespace Maschera.Core.Readings.Plausibility;

/// <summary>Finds what can't be true in a log or a scope capture.</summary>
public sealed class PlausibilityReading : ReadingOf<PlausibilityResult>
{
    private const int LeastSamples = 10;

    public override string Method =>
        "Each channel is held against its supply, against what its quantity can be and how fast it can move, and against what drives "
        + "it; quantities are told by name and unit.\n"
        + "Short excursions are held against the events of every other wire, pulse trains against their neighbours; what several "
        + "channels share is one finding.";

    public override JsonTypeInfo ResultJson => PlausibilityJson.Default.PlausibilityResult;
    public override string Kind => "plausibility";
    public override string Title => "Plausibility";

    public override JobStep Step => JobStep.Look;
    public override IReadOnlyList<Verdict> Verdicts { get; } =
    [new("plausible", Tone.Fine, "can be true"), new("implausible", Tone.Fault, "can't be true"), Verdict.Unusable];

    public override bool TakesSupplies => true;

    public override IEnumerable<Suggestion> Suggest(CaptureFacts capture) => capture.IsLog ? [new(OnlyIfUsable: true)] : [];

    protected override PlausibilityResult Make(ReadingRequest request, CancellationToken cancel)
    {
        foreach (var name in request.Supplies.Keys)
            if (request.Capture.Find(name) is null)
                throw new ReadingException($"{request.Capture.Name}: --supply: there is no column '{name}'.");
        var channels = request
            .Capture.Channels.Select(c => c.Between(request.From ?? double.NegativeInfinity, request.To ?? double.PositiveInfinity))
            .Where(c => c.Samples.Count(float.IsFinite) >= LeastSamples)
            .Select(c => new Watched(
                c,
                request.Supplies.FirstOrDefault(s => string.Equals(s.Key, c.Name, StringComparison.OrdinalIgnoreCase))
                    is { Key: not null } fed
                    ? fed.Value
                    : null,
                request.Quantities
            ))
            .ToList();
        if (channels.Count == 0)
            return Unusable(NoChannels, new Note("short", $"No channel has {LeastSamples} values or more: log a few seconds at least."));
        var findings = new List<Finding>();
        foreach (
            var check in (Func<IReadOnlyList<Watched>, IEnumerable<Finding>>[])
                [
                    RailCheck.Find,
                    SupplyCheck.Find,
                    ValueCheck.Find,
                    FlatCheck.Find,
                    SpikeCheck.Find,
                    LoneCheck.Find,
                    DropoutCheck.Find,
                    ConditionCheck.Find,
                ]
        )
        {
            cancel.ThrowIfCancellationRequested();
            findings.AddRange(check(channels).Where(f => !findings.Any(g => Covers(g, f))));
        }

        return Build(request, channels, [.. findings.OrderBy(f => f.From)]);
    }

    /// <summary>What one finding says of a channel and time another need not say again.</summary>
    private static bool Covers(Finding there, Finding added) =>
        added.Channels.All(c => there.Channels.Contains(c))
        && Math.Min(there.To, added.To) - Math.Max(there.From, added.From) > 0.5 * (added.To - added.From) - 1e-9;

    private static PlausibilityResult Build(ReadingRequest request, List<Watched> channels, List<Finding> findings)
    {
        List<Note> notes = [];
        var unknown = channels.Where(c => c is { IsLog: true, Quantity: null, Supply: null, Switches: false }).Select(c => c.Name).ToList();
        if (unknown.Count > 0)
            notes.Add(
                new("not-known", $"Not known by name and unit, so only watched for what any signal can't do: {string.Join(", ", unknown)}.")
            );
        return new PlausibilityResult
        {
            Verdict = findings.Count > 0 ? "implausible" : "plausible",
            Sentence =
                findings.Count == 0 ? $"Nothing in {channels.Count} channels contradicts what can be."
                : findings.Count == 1 ? findings[0].Text
                : $"{findings.Count} things can't be true. First: {findings[0].Text}",
            Notes = notes,
            Span = new Stretch(channels.Min(c => c.Time.Start), channels.Max(c => c.Time.End)),
            Findings = findings,
            Quantities = channels.GroupBy(c => c.Name).ToDictionary(g => g.Key, g => g.First().Quantity?.Name ?? ""),
        };
    }
}
