using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.Caching.Memory;

namespace Maschera.Store;

/// <summary>
/// Rows of readings with what they say, from memory where they were read before: every page of a job and its captures asks for
/// all of them, and one answer may be some hundred thousand letters long. What a reading says is never written over.
/// </summary>
public static class HeldReadings
{
    /// <summary>Letters of JSON held together. Beyond it the ones not asked for longest go.</summary>
    private const long MostLetters = 12_000_000;

    private static readonly TimeSpan s_unused = TimeSpan.FromMinutes(20);
    private static readonly MemoryCache s_held = new(new MemoryCacheOptions { SizeLimit = MostLetters });

    /// <summary>The readings asked for, by number; each row is the caller's own.</summary>
    public static async Task<List<StoredReading>> OfAsync(MascheraDb db, IQueryable<StoredReading> asked)
    {
        var data = db.Database.GetConnectionString()!;
        var rows = await asked.OrderBy(r => r.Id).Select(r => new { r.Id, r.MadeAt }).ToListAsync();
        var found = rows.ToDictionary(r => r.Id, r => s_held.Get<StoredReading>((data, r.Id, r.MadeAt)));
        var missing = rows.Where(r => found[r.Id] is null).Select(r => r.Id).ToList();
        if (missing.Count > 0)
            foreach (var row in await db.Readings.AsNoTracking().Where(r => missing.Contains(r.Id)).ToListAsync())
                found[row.Id] = Hold(data, row);
        return [.. rows.Select(r => found[r.Id]).OfType<StoredReading>().Select(r => r.ForAnother())];
    }

    private static StoredReading Hold(string data, StoredReading row)
    {
        var entry = new MemoryCacheEntryOptions { Size = Math.Max(1, row.Json.Length), SlidingExpiration = s_unused };
        return s_held.Set((data, row.Id, row.MadeAt), row, entry);
    }
}
