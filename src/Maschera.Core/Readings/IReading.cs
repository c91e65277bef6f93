using System.Text.Json.Serialization.Metadata;
using Maschera.Core.Basics;
using Maschera.Core.Engines;

namespace Maschera.Core.Readings;

/// <summary>The eight steps of a job, in the order they are worked.</summary>
public enum JobStep
{
    TakeIn,
    Look,
    Mechanical,
    Timing,
    IntoTheCylinder,
    Circuit,
    Decide,
    Prove,
}

/// <summary>A role a reading fills with a channel, and the words by which it is guessed.</summary>
/// <param name="Name">The role's name in the contract.</param>
/// <param name="Label">What a person calls it.</param>
/// <param name="Units">Units that fit.</param>
/// <param name="Words">Parts of column names that fit.</param>
public sealed record Role(string Name, string Label, IReadOnlyList<string> Units, IReadOnlyList<string> Words);

/// <summary>
/// One computation from capture and engine to a result. It says everything about itself: forms, menus, ledger, wheel, report,
/// command line and documentation are made from this. Adding one means adding a folder with a class of this kind.
/// </summary>
public interface IReading
{
    /// <summary>The name on the command line.</summary>
    string Kind { get; }

    /// <summary>The name for a person.</summary>
    string Title { get; }

    /// <summary>The same in a word, for the head of a narrow column.</summary>
    string Brief => Title.ToLowerInvariant();

    /// <summary>How it is made, in two lines.</summary>
    string Method { get; }

    /// <summary>The step of the job's order it belongs to.</summary>
    JobStep Step { get; }

    /// <summary>All it can conclude, unusable included.</summary>
    IReadOnlyList<Verdict> Verdicts { get; }

    /// <summary>The verdict of a result; one that is fine is told with what stands against it.</summary>
    Verdict VerdictOf(ReadingResult result) =>
        VerdictOf(result.Verdict) is { Tone: Tone.Fine } fine && result.But is { } but
            ? fine with
            {
                Tone = Tone.Watch,
                Said = $"{fine.Said}, but {but}",
            }
            : VerdictOf(result.Verdict);

    /// <summary>A verdict of its list; a word it does not know is a fault by that word.</summary>
    Verdict VerdictOf(string word) => Verdicts.FirstOrDefault(v => v.Word == word) ?? new Verdict(word, Tone.Fault, word);

    /// <summary>True where the reading can't be made without an engine.</summary>
    bool NeedsEngine { get; }

    /// <summary>The type of its results and how they are written as JSON.</summary>
    JsonTypeInfo ResultJson { get; }

    /// <summary>The roles it knows, the main one first.</summary>
    IReadOnlyList<Role> Roles { get; }

    /// <summary>The options of its own beside those all readings share.</summary>
    IReadOnlyList<ReadingOption> Options { get; }

    /// <summary>True where a known-good capture can be compared with.</summary>
    bool TakesReference { get; }

    /// <summary>The roles a known-good capture has to fill to be compared with.</summary>
    IReadOnlyList<string> ReferenceRoles { get; }

    /// <summary>True where it wants to be told which columns are fed from a supply of so many volts.</summary>
    bool TakesSupplies { get; }

    /// <summary>True where diagnostic messages are read instead of channels.</summary>
    bool ReadsMessages { get; }

    /// <summary>True where a sheet of what was measured at a component is read instead of channels.</summary>
    bool ReadsSheet { get; }

    /// <summary>Samples a second beyond which more of them tell this reading nothing; who loads may take means.</summary>
    double UsefulRate { get; }

    /// <summary>The roles that make sense on an engine: of a cylinder each, as many as there are.</summary>
    IReadOnlyList<Role> RolesFor(Engine? engine);

    /// <summary>How it would read a capture by itself; empty where it would not.</summary>
    IEnumerable<Suggestion> Suggest(CaptureFacts capture);

    /// <summary>What tells two results of this kind on one capture apart as answers to different questions.</summary>
    string Identity(IReadOnlyDictionary<string, string> channels);

    /// <summary>The name of one result for a person.</summary>
    string TitleOf(ReadingResult result);

    /// <summary>What the firing wheel shows of a job's results of this kind, oldest first; null for nothing.</summary>
    CylinderWheel? Wheel(Engine engine, IReadOnlyList<ReadingResult> results);

    /// <summary>Makes the reading. Unfit data give an unusable result, not an exception.</summary>
    /// <exception cref="ReadingException">The request can't be understood: a column that isn't there, a wrong word, no engine.</exception>
    ReadingResult Read(ReadingRequest request, CancellationToken cancel = default);
}

/// <summary>What is known of a capture before anything is read: enough to know which readings make sense.</summary>
/// <param name="Channels">Its channels with the roles they stand for.</param>
/// <param name="IsLog">True where it was logged and not captured with a scope.</param>
/// <param name="State">Cranking, idle, load or what the person said; null for nothing.</param>
/// <param name="Messages">True where it holds diagnostic messages instead of channels.</param>
public sealed record CaptureFacts(IReadOnlyList<ChannelFacts> Channels, bool IsLog, string? State, bool Messages = false)
{
    /// <summary>True where a channel stands for the role.</summary>
    public bool Has(string role) => Channels.Any(c => c.Role == role);

    /// <summary>True for a capture with a scope on which a channel stands for each of the roles.</summary>
    public bool IsScopeWith(params ReadOnlySpan<string> roles)
    {
        foreach (var role in roles)
            if (!Has(role))
                return false;
        return !IsLog && !Messages;
    }
}

/// <summary>A channel as its name, unit and role tell it.</summary>
public sealed record ChannelFacts(string Name, string Unit, string? Role);

/// <summary>A reading that offers itself.</summary>
/// <param name="Channels">Role to column; the stored roles where null.</param>
/// <param name="AgainstShelf">True to compare with all known-good captures of the engine.</param>
/// <param name="OnlyIfUsable">True where an unusable result is not worth keeping.</param>
public sealed record Suggestion(IReadOnlyDictionary<string, string>? Channels = null, bool AgainstShelf = false, bool OnlyIfUsable = false);
