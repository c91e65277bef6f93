using System.Security.Cryptography;
using System.Text;

namespace Maschera.Web.People;

/// <summary>
/// The word, printed on the server's console, by which the first person is added. It lives as long as the server and is of use only
/// while there is nobody.
/// </summary>
internal sealed class FirstWord
{
    /// <summary>Letters and digits that are not taken for one another.</summary>
    private const string Letters = "ABCDEFGHJKLMNPQRSTUVWXYZ23456789";

    private const int Long = 12;

    /// <summary>Wrong words that are taken before it is of no use any more.</summary>
    private const int MostWrong = 20;

    private int _wrong;

    /// <summary>In groups of four.</summary>
    public string Word { get; } = string.Join('-', RandomNumberGenerator.GetString(Letters, Long).Chunk(4).Select(c => new string(c)));

    /// <summary>True where it was given right; compared in constant time.</summary>
    public bool Is(string? given)
    {
        if (_wrong >= MostWrong)
            return false;
        var typed = new string([.. (given ?? "").ToUpperInvariant().Where(char.IsLetterOrDigit)]);
        var right = CryptographicOperations.FixedTimeEquals(
            Encoding.UTF8.GetBytes(typed),
            Encoding.UTF8.GetBytes(Word.Replace("-", "", StringComparison.Ordinal))
        );
        if (!right)
            Interlocked.Increment(ref _wrong);
        return right;
    }
}
