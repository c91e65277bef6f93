using Maschera.Core.Quantities;
using Maschera.Store;
using Microsoft.EntityFrameworkCore;

namespace Maschera.App;

/// <summary>What people said channels of certain names carry.</summary>
public static class Corrections
{
    /// <summary>Keeps it for every log: name to quantity, empty for none. What name and unit tell by themselves is not kept.</summary>
    public static async Task KeepAsync(MascheraDb db, StoredCapture capture, IReadOnlyDictionary<string, string?> quantities)
    {
        var units = capture.OwnChannels.GroupBy(c => c.Name).ToDictionary(g => g.Key, g => g.First().Unit);
        foreach (var (name, quantity) in quantities.Where(q => units.ContainsKey(q.Key)))
        {
            if (KnownQuantities.Of(name, units[name])?.Name == (string.IsNullOrEmpty(quantity) ? null : quantity))
            {
                await db.Corrections.Where(c => c.Name == name).ExecuteDeleteAsync();
                continue;
            }

            var row =
                await db.Corrections.FirstOrDefaultAsync(c => c.Name == name)
                ?? db.Corrections.Add(new StoredCorrection { Name = name }).Entity;
            row.Quantity = quantity ?? "";
        }

        await db.SaveChangesAsync();
    }
}
