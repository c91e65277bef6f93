using System.Text.Json;
using Maschera.Core.Engines;

namespace Maschera.Store;

/// <summary>An engine kept for use in many jobs; its fields as JSON, as in an engine file.</summary>
public sealed class StoredEngine
{
    public int Id { get; set; }
    public string Name { get; set; } = "";
    public string Json { get; set; } = "{}";

    /// <summary>When it was deleted, UTC; jobs of it keep it. Null while it is offered.</summary>
    public DateTime? DeletedAt { get; set; }

    public Engine ToEngine() => JsonSerializer.Deserialize<Engine>(Json, StoreJson.Options)!;

    public void Take(Engine engine)
    {
        Name = engine.Name;
        Json = JsonSerializer.Serialize(engine, StoreJson.Options);
    }
}
