using System.Globalization;
using Maschera.Store;

namespace Maschera.Web;

/// <summary>The words of `demo` and `serve`.</summary>
internal sealed record ServerWords(int Port, string Data, bool Demo, bool Fresh, string? Problem, string? Backup = null)
{
    private const int UsualPort = 5080;

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
                default:
                    return words with
                    {
                        Problem =
                            $"'{args[i]}' is not understood here. The words are --port N, --data DIR, --backup DIR and, with demo, --fresh.",
                    };
            }
        }

        return words.Data.Length > 0 ? words : words with { Data = words.Demo ? Path.Combine(DataFolder.Usual, "demo") : DataFolder.Usual };
    }
}
