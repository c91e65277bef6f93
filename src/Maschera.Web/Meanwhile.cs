using System.Security.Cryptography;
using System.Text;

namespace Maschera.Web;

/// <summary>
/// Two people change the same thing: the form carries what stood there when it was opened, and who saves later is told before
/// anything of the other's is lost.
/// </summary>
internal static class Meanwhile
{
    private const int Letters = 16;

    /// <summary>What is said; what was typed stays in the form.</summary>
    public const string Said =
        "Somebody changed this while you were at it. What they wrote stands below; save again to put yours in its place.";

    /// <summary>A stamp of what stands there.</summary>
    public static string Stamp(params IEnumerable<object?> values)
    {
        var text = string.Join('\u001f', values.Select(v => Convert.ToString(v, System.Globalization.CultureInfo.InvariantCulture)));
        return Convert.ToHexString(SHA256.HashData(Encoding.UTF8.GetBytes(text)))[..Letters];
    }
}
