using System.Text.Json;
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
            engine = JsonSerializer.Deserialize<Engine>(text, Json);
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
