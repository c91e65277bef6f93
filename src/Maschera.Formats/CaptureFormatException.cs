namespace Maschera.Formats;

/// <summary>A file that can't be read. The message is one line that says file, line, column and why.</summary>
public sealed class CaptureFormatException : Exception
{
    public CaptureFormatException(string file, string why)
        : base($"{file}: {why}") { }

    public CaptureFormatException(string file, long line, string why)
        : base($"{file}, line {line}: {why}") => Line = line;

    public CaptureFormatException(string file, long line, string column, string why)
        : base($"{file}, line {line}, column '{column}': {why}") => Line = line;

    /// <summary>The line the trouble stands in, from 1; null where it is the file as a whole.</summary>
    public long? Line { get; }
}
