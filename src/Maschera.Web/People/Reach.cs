using System.Globalization;
using System.Net;
using System.Net.NetworkInformation;
using System.Net.Sockets;

namespace Maschera.Web.People;

/// <summary>From where the server is reached: this machine alone, in plain HTTP and without names, or a network, with both.</summary>
/// <param name="At">Address and port it listens at.</param>
/// <param name="Hosts">Further names it answers to.</param>
public sealed record Reach(IPEndPoint At, IReadOnlyList<string> Hosts)
{
    /// <summary>True where other machines reach it: people and HTTPS are asked for then.</summary>
    public bool IsOpen => !IPAddress.IsLoopback(At.Address);

    /// <summary>Where it listens, as the server is told.</summary>
    public string Url => $"{(IsOpen ? "https" : "http")}://{At}";

    /// <summary>Where a person finds it.</summary>
    public string Place =>
        IsOpen ? $"https://{Names().First()}:{At.Port.ToString(CultureInfo.InvariantCulture)}" : $"http://127.0.0.1:{At.Port}";

    /// <summary>The names that are answered; a foreign page may resolve its own name to this machine.</summary>
    public IReadOnlyList<string> Allowed =>
        IsOpen ? [.. Names().Select(Bracketed), "localhost", "127.0.0.1", "[::1]"] : ["localhost", "127.0.0.1", "[::1]"];

    /// <summary>The names given, and the machine's own name and addresses on its networks.</summary>
    public IEnumerable<string> Names()
    {
        var own = IPAddress.Any.Equals(At.Address) || IPAddress.IPv6Any.Equals(At.Address) ? Addresses() : [At.Address.ToString()];
        return Hosts.Concat(own).Append(Environment.MachineName).Distinct(StringComparer.OrdinalIgnoreCase);
    }

    private static string Bracketed(string name) => name.Contains(':', StringComparison.Ordinal) ? $"[{name}]" : name;

    private static IEnumerable<string> Addresses() =>
        NetworkInterface
            .GetAllNetworkInterfaces()
            .Where(i => i.OperationalStatus == OperationalStatus.Up && i.NetworkInterfaceType != NetworkInterfaceType.Loopback)
            .SelectMany(i => i.GetIPProperties().UnicastAddresses)
            .Select(a => a.Address)
            .Where(a => a.AddressFamily == AddressFamily.InterNetwork)
            .Select(a => a.ToString());
}
