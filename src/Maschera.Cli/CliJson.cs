using System.Text.Json;
using System.Text.Json.Serialization;
using Maschera.Core.Basics;
using Maschera.Core.Diagnosis;

namespace Maschera.Cli;

/// <summary>What `inspect` tells of a file.</summary>
internal sealed record Inspected(string File, string Kind, IReadOnlyList<InspectedChannel> Channels, IReadOnlyList<Note> Notes);

/// <summary>A channel of it; times in s, the rate in samples a second.</summary>
internal sealed record InspectedChannel(string Name, string Unit, int Samples, double Start, double End, bool Even, double Rate);

/// <summary>What `convert` has written.</summary>
internal sealed record Written(string File, IReadOnlyList<WrittenChannel> Channels, IReadOnlyList<Note> Notes);

/// <summary>A channel of it.</summary>
internal sealed record WrittenChannel(string Name, string Unit, long Samples);

/// <summary>The JSON of all that is no reading, worked out when building.</summary>
[JsonSourceGenerationOptions(JsonSerializerDefaults.Web, WriteIndented = true)]
[JsonSerializable(typeof(Inspected))]
[JsonSerializable(typeof(Written))]
[JsonSerializable(typeof(DecisionResult))]
internal sealed partial class CliJson : JsonSerializerContext;
