using System.Text.Json;
using System.Text.Json.Serialization;
using Maschera.Core.Engines;

namespace Maschera.Formats;

/// <summary>The engine file: JSON with the fields of <see cref="Engine"/>.</summary>
public static class EngineFile
{
    /// <summary>How engines and results are written: camel case, as the contract says.</summary>
    public static JsonSerializerOptions Json { get; } = new(JsonSerializerDefaults.Web) { WriteIndented = true };

    /// <summary>Reads and checks an engine.</summary>
    /// <exception cref="CaptureFormatException">It is no engine.</exception>
    public static Engine Load(string path)
    {
        var name = Path.GetFileName(path);
        if (!File.Exists(path))
            throw new CaptureFormatException(name, "there is no such file.");
        return Parse(File.ReadAllText(path), name);
    }

    /// <summary>Reads and checks an engine from JSON text.</summary>
    /// <exception cref="CaptureFormatException">It is no engine.</exception>
    public static Engine Parse(string text, string name)
    {
        Engine? engine;
        try
        {
            engine = JsonSerializer.Deserialize(text, FormatsJson.Default.Engine);
        }
        catch (JsonException error)
        {
            throw new CaptureFormatException(name, (error.LineNumber ?? 0) + 1, $"is not an engine file: {OneLine(error)}");
        }

        if (engine is null)
            throw new CaptureFormatException(name, "is empty.");
        var problems = engine.Problems();
        if (problems.Count > 0)
            throw new CaptureFormatException(name, $"{JsonNamingPolicy.CamelCase.ConvertName(problems[0].Field)}: {problems[0].Text}");
        return engine;
    }

    private static string OneLine(JsonException error) =>
        error.Path is { Length: > 1 } path ? $"the value at {path} is of the wrong kind." : "the JSON is broken.";
}

/// <summary>The JSON of engine files and of the heads of bundles, worked out when building.</summary>
[JsonSourceGenerationOptions(
    JsonSerializerDefaults.Web,
    WriteIndented = true,
    DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingNull
)]
[JsonSerializable(typeof(Engine))]
[JsonSerializable(typeof(BundleHead))]
internal sealed partial class FormatsJson : JsonSerializerContext;
