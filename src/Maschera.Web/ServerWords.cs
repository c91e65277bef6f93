using System.Globalization;
using System.Net;
using Maschera.Store;
using Maschera.Web.People;

namespace Maschera.Web;

/// <summary>The words of `demo` and `serve`.</summary>
internal sealed record ServerWords(int Port, string Data, bool Demo, bool Fresh, string? Problem, string? Backup = null)
{
    /// <summary>Where to listen; this machine at the port where null.</summary>
    public IPEndPoint? Listen { get; init; }

    /// <summary>File of the certificate for a network; one of its own where null.</summary>
    public string? Certificate { get; init; }

    /// <summary>Further names it answers to.</summary>
    public IReadOnlyList<string> Hosts { get; init; } = [];

    /// <summary>From where it is reached.</summary>
    public Reach Reach => new(Listen ?? new IPEndPoint(IPAddress.Loopback, Port), Hosts);

    private const int UsualPort = 5080;

    private const string Known =
        "The words are --port N, --data DIR, --backup DIR, --listen ADDRESS:PORT, --certificate FILE, --host NAME and, with demo, --fresh.";

    public static ServerWords Parse(string[] args)
    {
        var words = new ServerWords(UsualPort, "", false, false, null);
        for (var i = 0; i < args.Length; i++)
        {
            var value = i + 1 < args.Length ? args[i + 1] : null;
            switch (args[i])
            {
                case "--demo":
                    words = words with { Demo = true };
                    break;
                case "--fresh":
                    words = words with { Fresh = true };
                    break;
                case "--port" when int.TryParse(value, CultureInfo.InvariantCulture, out var port) && port is > 0 and < 65_536:
                    words = words with { Port = port };
                    i++;
                    break;
                case "--data" when value is not null:
                    words = words with { Data = value };
                    i++;
                    break;
                case "--backup" when value is not null:
                    words = words with { Backup = value };
                    i++;
                    break;
                case "--listen" when IPEndPoint.TryParse(value ?? "", out var at) && at.Port > 0:
                    words = words with { Listen = at, Port = at.Port };
                    i++;
                    break;
                case "--certificate" when value is not null:
                    words = words with { Certificate = value };
                    i++;
                    break;
                case "--host" when Uri.CheckHostName(value) is not UriHostNameType.Unknown:
                    words = words with { Hosts = [.. words.Hosts, value!] };
                    i++;
                    break;
                default:
                    return words with { Problem = $"'{args[i]}' is not understood here. {Known}" };
            }
        }

        return words.Data.Length > 0 ? words : words with { Data = words.Demo ? Path.Combine(DataFolder.Usual, "demo") : DataFolder.Usual };
    }
}
