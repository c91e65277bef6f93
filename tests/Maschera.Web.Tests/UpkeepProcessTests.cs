using System.Diagnostics;
using System.Net;
using System.Net.Sockets;
using Maschera.Store.Upkeep;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web.Tests;

/// <summary>What a workshop meets: a port that is taken, a folder that is no folder, backups under load, kills at any moment.</summary>
public sealed class UpkeepProcessTests : ServerProcess
{
    [Fact]
    public void A_port_that_is_taken_is_said_in_one_line()
    {
        using var taken = new TcpListener(IPAddress.Loopback, 0);
        taken.Start();
        var port = ((IPEndPoint)taken.LocalEndpoint).Port;
        Assert.Contains(
            $"Port {port} is taken",
            Refused("Maschera.Web.dll", "--data", Folder, "--port", $"{port}"),
            StringComparison.Ordinal
        );
    }

    [Fact]
    public async Task A_second_server_on_a_folder_and_a_restore_under_it_are_refused()
    {
        using var client = await StartAsync();
        var port = $"{FreePort()}";
        Assert.Contains("Another server runs", Refused("Maschera.Web.dll", "--data", Folder, "--port", port), StringComparison.Ordinal);
        var to = Path.Combine(Folder, "copies");
        var (code, said) = Keeper("backup", to, "--data", Folder);
        Assert.True(code == 0, said);
        var file = Assert.Single(Directory.GetFiles(to));
        Assert.Contains("Another server runs", Refused(KeeperProgram, "restore", file, "--data", Folder), StringComparison.Ordinal);
        Assert.True((await client.GetAsync("/")).IsSuccessStatusCode);
    }

    [Theory]
    [InlineData("garbage")]
    [InlineData("a file")]
    public void A_folder_that_can_not_be_used_is_said_in_one_line(string what)
    {
        var folder = Path.Combine(Folder, "data");
        if (what == "a file")
            File.WriteAllText(folder, "no folder");
        else
        {
            Directory.CreateDirectory(folder);
            File.WriteAllText(Path.Combine(folder, "maschera.db"), new string('?', 40_000));
        }

        var said = Refused("Maschera.Web.dll", "--data", folder, "--port", $"{FreePort()}");
        Assert.Contains(what == "a file" ? "can't be used" : "is damaged or none", said, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_server_told_where_backs_up_by_itself_and_the_doctor_finds_it_sound()
    {
        var to = Path.Combine(Folder, "copies");
        using var client = await StartAsync("--backup", to);
        for (var wait = 0; wait < 600 && (!Directory.Exists(to) || Directory.GetFiles(to, "*.db").Length == 0); wait++)
            await Task.Delay(50);
        Assert.True(DataCheck.Of(Assert.Single(Directory.GetFiles(to, "*.db"))).IsSound);
        var (code, said) = Keeper("doctor", "--data", Folder);
        Assert.True(code == 0 && said.Contains("is sound", StringComparison.Ordinal), said);
        Assert.Contains("There is no database", Refused(KeeperProgram, "doctor", "--data", to), StringComparison.Ordinal);
        Assert.Contains("days from 1", Refused(KeeperProgram, "backup", to, "--data", Folder, "--keep", "0"), StringComparison.Ordinal);
    }

    [Fact]
    public void A_backup_killed_at_any_moment_leaves_the_earlier_ones_and_the_database_as_they_were()
    {
        using (var db = Open())
        {
            db.Prepare();
            var job = OneJob.Take(db);
            for (var capture = 0; capture < 3; capture++)
                OneJob.Keep(db, job, $"long {capture}", OneJob.Made("Current", "A", 1e-5, 1_000_000, i => i % 977));
        }

        var (to, random) = (Path.Combine(Folder, "copies"), new Random(5));
        Assert.Equal(0, Keeper("backup", to, "--data", Folder).Code);
        for (var round = 0; round < 8; round++)
        {
            var backup = Run(KeeperProgram, "backup", to, "--data", Folder);
            if (!backup.WaitForExit(100 + random.Next(500)))
                backup.Kill();
            backup.WaitForExit();
            Assert.All(Directory.GetFiles(to, "*.db"), file => Assert.True(DataCheck.Of(file).IsSound, file));
            Assert.True(DataCheck.Of(Path.Combine(Folder, "maschera.db")).IsSound);
        }

        Assert.Equal(0, Keeper("backup", to, "--data", Folder).Code);
        Assert.Empty(Directory.GetFiles(to, "*.part*"));
        using var sound = Open();
        Assert.Equal(3, sound.Captures.Count());
        Assert.Equal("ok", sound.Database.SqlQueryRaw<string>("SELECT integrity_check AS Value FROM pragma_integrity_check").Single());
    }

    private static string KeeperProgram => CommandLineTests.Program("Maschera.Keeper");

    private (int Code, string Said) Keeper(params string[] words)
    {
        var process = Run(KeeperProgram, words);
        var said = process.StandardOutput.ReadToEnd() + process.StandardError.ReadToEnd();
        process.WaitForExit();
        return (process.ExitCode, said);
    }

    /// <summary>The one line with which it ends with 2.</summary>
    private string Refused(string program, params string[] words)
    {
        Process process = Run(program, words);
        Assert.True(process.WaitForExit(60_000));
        var said = process.StandardError.ReadToEnd();
        Assert.True(process.ExitCode == 2, $"{process.ExitCode}: {said}");
        Assert.Single(said.Split('\n', StringSplitOptions.RemoveEmptyEntries));
        Assert.DoesNotContain("   at ", said, StringComparison.Ordinal);
        // Nor does the host add that one of its services failed.
        Assert.DoesNotContain(" FTL] ", process.StandardOutput.ReadToEnd(), StringComparison.Ordinal);
        return said;
    }
}
