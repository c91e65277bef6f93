using System.Text.Json;
using Maschera.Store;

namespace Maschera.Web;

/// <summary>What went wrong, as the server's log has it.</summary>
/// <param name="When">UTC.</param>
/// <param name="Text">In words, without names and figures of a job.</param>
internal sealed record LoggedError(DateTime When, string Text)
{
    /// <summary>Errors since a time, the newest first; lines that can't be read are left out.</summary>
    public static IReadOnlyList<LoggedError> Since(DataFolder data, DateTime from)
    {
        if (!Directory.Exists(data.Logs))
            return [];
        return
        [
            .. new DirectoryInfo(data.Logs)
                .EnumerateFiles("maschera-*.json")
                .Where(f => f.LastWriteTimeUtc >= from)
                .SelectMany(f => Lines(f.FullName))
                .Select(Of)
                .OfType<LoggedError>()
                .Where(e => e.When >= from)
                .OrderByDescending(e => e.When),
        ];
    }

    /// <summary>The server still writes to it.</summary>
    private static IEnumerable<string> Lines(string file)
    {
        using var stream = new FileStream(file, FileMode.Open, FileAccess.Read, FileShare.ReadWrite);
        using var reader = new StreamReader(stream);
        while (reader.ReadLine() is { } line)
            yield return line;
    }

    /// <summary>An error of a line in compact JSON; null for a lesser one.</summary>
    private static LoggedError? Of(string line)
    {
        try
        {
            using var json = JsonDocument.Parse(line);
            var root = json.RootElement;
            if (!root.TryGetProperty("@l", out var level) || level.GetString() is not ("Error" or "Fatal"))
                return null;
            var text = root.TryGetProperty("@x", out var thrown)
                ? thrown.GetString()!.Split('\n')[0]
                : root.GetProperty("@mt").GetString()!;
            return new(root.GetProperty("@t").GetDateTime().ToUniversalTime(), text);
        }
        catch (Exception error) when (error is JsonException or KeyNotFoundException or InvalidOperationException or FormatException)
        {
            return null;
        }
    }
}
