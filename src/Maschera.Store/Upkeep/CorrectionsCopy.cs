using Microsoft.Data.Sqlite;

namespace Maschera.Store.Upkeep;

/// <summary>
/// A workshop's own strengths of evidence, a file that can be edited by hand beside the database: a backup is one file and takes their
/// text along in a table of its own, which a database in use does not have.
/// </summary>
internal static class CorrectionsCopy
{
    private const string Table = "KeptCorrections";

    /// <summary>Puts the text into a copy of the database; none where there is no file.</summary>
    public static void Put(SqliteConnection copy, string file)
    {
        Execute(copy, $"CREATE TABLE {Table} (Text TEXT NOT NULL)");
        if (!File.Exists(file))
            return;
        using var command = copy.CreateCommand();
        command.CommandText = $"INSERT INTO {Table} VALUES ($text)";
        command.Parameters.AddWithValue("$text", File.ReadAllText(file));
        command.ExecuteNonQuery();
    }

    /// <summary>Takes it out of a copy again. Not told: a backup of a build that left it out; then what stands there stays.</summary>
    public static (bool Told, string? Text) Take(SqliteConnection copy)
    {
        using var asked = copy.CreateCommand();
        asked.CommandText = $"SELECT COUNT(*) FROM sqlite_master WHERE name = '{Table}'";
        if ((long)asked.ExecuteScalar()! == 0)
            return (false, null);
        asked.CommandText = $"SELECT Text FROM {Table}";
        var text = asked.ExecuteScalar() as string;
        Execute(copy, $"DROP TABLE {Table}");
        return (true, text);
    }

    private static void Execute(SqliteConnection copy, string sql)
    {
        using var command = copy.CreateCommand();
        command.CommandText = sql;
        command.ExecuteNonQuery();
    }
}
