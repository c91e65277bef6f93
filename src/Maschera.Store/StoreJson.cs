using System.Text.Json;

namespace Maschera.Store;

/// <summary>How the store writes JSON.</summary>
internal static class StoreJson
{
    public static readonly JsonSerializerOptions Options = new(JsonSerializerDefaults.Web);
}
