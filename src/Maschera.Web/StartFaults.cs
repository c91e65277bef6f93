using Maschera.Store.Upkeep;
using Microsoft.AspNetCore.Connections;
using Microsoft.Data.Sqlite;

namespace Maschera.Web;

/// <summary>What keeps the server from starting, in one sentence with what to do.</summary>
internal static class StartFaults
{
    private const int ReadOnly = 8,
        Full = 13,
        Damaged = 11,
        NoDatabase = 26;

    private const int NoSpace = 28;

    /// <summary>True where the disk has no room left, whoever noticed it.</summary>
    public static bool IsFull(Exception error) =>
        error is SqliteException { SqliteErrorCode: Full }
        || error is IOException && (error.HResult & 0xFFFF) == NoSpace
        || error.InnerException is { } inner && IsFull(inner);

    /// <summary>The sentence; null for what is no fault of folder, database or port.</summary>
    public static string? Said(Exception error, ServerWords words) =>
        error switch
        {
            UpkeepException => error.Message,
            IOException { InnerException: AddressInUseException } =>
                $"Port {words.Port} is taken by another program. Stop it, or choose another port with --port.",
            SqliteException { SqliteErrorCode: ReadOnly } =>
                $"The database in {words.Data} can't be written: its file or folder is read-only.",
            SqliteException { SqliteErrorCode: Full } =>
                $"There is no room left for the data folder {words.Data}. Free some and start again.",
            SqliteException { SqliteErrorCode: Damaged or NoDatabase } =>
                $"The database in {words.Data} is damaged or none. Run './maschera doctor --data {words.Data}', or restore a backup.",
            SqliteException => $"The database in {words.Data} can't be used: {error.Message}",
            IOException or UnauthorizedAccessException => $"The data folder {words.Data} can't be used: {error.Message}",
            _ => null,
        };
}
