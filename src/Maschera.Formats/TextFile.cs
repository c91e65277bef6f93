using System.Text;

namespace Maschera.Formats;

/// <summary>Small text files.</summary>
public static class TextFile
{
    private const long MostBytes = 400_000_000;

    /// <summary>The whole text, UTF-8 or UTF-16 with a mark, else Latin-1 where it is no UTF-8.</summary>
    /// <exception cref="CaptureFormatException">There is no such file, it can't be opened, or it is no text.</exception>
    public static string Load(string path)
    {
        var name = Path.GetFileName(path);
        try
        {
            if (new FileInfo(path).Length > MostBytes)
                throw new CaptureFormatException(name, "is too large for a text of this kind; cut the stretch that matters out of it.");
            return Decode(File.ReadAllBytes(path), name);
        }
        catch (Exception error) when (error is FileNotFoundException or DirectoryNotFoundException)
        {
            throw new CaptureFormatException(name, "there is no such file.");
        }
        catch (Exception error) when (error is UnauthorizedAccessException or IOException)
        {
            throw new CaptureFormatException(name, $"can't be opened: {error.Message}");
        }
    }

    private static string Decode(byte[] bytes, string name)
    {
        if (bytes is [0xFF, 0xFE, ..])
            return Encoding.Unicode.GetString(bytes.AsSpan(2));
        if (bytes is [0xFE, 0xFF, ..])
            return Encoding.BigEndianUnicode.GetString(bytes.AsSpan(2));
        if (bytes.AsSpan().Contains((byte)0))
            throw new CaptureFormatException(name, "is no text.");
        var start = bytes is [0xEF, 0xBB, 0xBF, ..] ? 3 : 0;
        try
        {
            return new UTF8Encoding(false, throwOnInvalidBytes: true).GetString(bytes.AsSpan(start));
        }
        catch (DecoderFallbackException)
        {
            return Encoding.Latin1.GetString(bytes);
        }
    }
}
