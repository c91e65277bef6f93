using System.Text.Json;
using Maschera.Core.Basics;
using Maschera.Core.Engines;
using Maschera.Core.Expressions;
using Maschera.Core.Quantities;
using Maschera.Core.Readings;
using Maschera.Core.Vehicle;
using Maschera.Store.People;

namespace Maschera.Store;

/// <summary>How the store writes JSON.</summary>
internal static class StoreJson
{
    public static readonly JsonSerializerOptions Options = new(JsonSerializerDefaults.Web);
}
