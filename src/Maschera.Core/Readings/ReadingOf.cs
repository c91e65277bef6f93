using System.Text.Json.Serialization.Metadata;
using Maschera.Core.Basics;
using Maschera.Core.Engines;
using Maschera.Core.Signals;

namespace Maschera.Core.Readings;

/// <summary>A reading with results of one type; what most have in common stands here.</summary>
public abstract class ReadingOf<TResult> : IReading
    where TResult : ReadingResult, new()
{
    /// <summary>For readings that take no channels.</summary>
    protected static readonly IReadOnlyDictionary<string, Channel> NoChannels = new Dictionary<string, Channel>();

    public abstract string Kind { get; }
    public abstract JsonTypeInfo ResultJson { get; }
    public abstract string Title { get; }
    public virtual string Brief => Title.ToLowerInvariant();
    public abstract string Method { get; }
    public abstract JobStep Step { get; }
    public abstract IReadOnlyList<Verdict> Verdicts { get; }
    public virtual bool NeedsEngine => false;
    public virtual IReadOnlyList<Role> Roles => [];
    public virtual IReadOnlyList<ReadingOption> Options => [];
    public virtual bool TakesReference => false;
    public virtual IReadOnlyList<string> ReferenceRoles => Roles.Count > 0 ? [Roles[0].Name] : [];
    public virtual bool TakesSupplies => false;
    public virtual bool ReadsMessages => false;
    public virtual bool ReadsSheet => false;
    public virtual double UsefulRate => double.PositiveInfinity;

    public virtual IReadOnlyList<Role> RolesFor(Engine? engine) => Roles;

    public virtual IEnumerable<Suggestion> Suggest(CaptureFacts capture) => [];

    public virtual string Identity(IReadOnlyDictionary<string, string> channels) => "";

    public virtual string TitleOf(ReadingResult result) => Title;

    public virtual CylinderWheel? Wheel(Engine engine, IReadOnlyList<ReadingResult> results) =>
        results.LastOrDefault(r => !r.IsUnusable)?.OnWheel(engine);

    public ReadingResult Read(ReadingRequest request, CancellationToken cancel = default)
    {
        if (NeedsEngine && request.Engine is null)
            throw new ReadingException($"{Kind} needs an engine: at least its cylinders and firing order.");
        foreach (var option in Options)
            if (request.Options.TryGetValue(option.Name, out var text) && option.Problem(text) is { } problem)
                throw new ReadingException(problem);
        var sane = SaneValues.Of(request);
        var result = MakeOrSay(sane, cancel) with { Reading = Kind, Method = Method };
        return ReferenceEquals(sane, request) ? result : result with { Notes = [.. result.Notes, SaneValues.Said] };
    }

    private TResult MakeOrSay(ReadingRequest request, CancellationToken cancel)
    {
        try
        {
            return Make(request, cancel);
        }
        catch (TimesApartException apart)
        {
            return Unusable(NoChannels, new Note("apart", apart.Message));
        }
    }

    /// <summary>Makes the reading; the engine is there where it is needed, and every option is of its type.</summary>
    protected abstract TResult Make(ReadingRequest request, CancellationToken cancel);

    /// <summary>The result of a capture that can't answer: why, and what to capture instead.</summary>
    protected internal static TResult Unusable(IReadOnlyDictionary<string, Channel> channels, Note why, params IEnumerable<Note> more) =>
        new()
        {
            Verdict = Verdict.UnusableWord,
            Sentence = why.Text,
            Notes = [why, .. more],
            Channels = RoleResolver.Names(channels),
        };
}
