namespace Maschera.Web.Tests;

/// <summary>How a server on a network starts, or says in a sentence why it does not.</summary>
public sealed class NetworkStartTests : ServerProcess
{
    [Fact]
    public async Task A_certificate_that_is_none_ends_in_one_sentence()
    {
        var file = Path.Combine(Folder, "none.pfx");
        await File.WriteAllTextAsync(file, "garbage", TestContext.Current.CancellationToken);
        var process = Run("Maschera.Web.dll", "--data", Folder, "--listen", $"0.0.0.0:{FreePort()}", "--certificate", file);
        var said = await process.StandardError.ReadToEndAsync(TestContext.Current.CancellationToken);
        await process.WaitForExitAsync(TestContext.Current.CancellationToken);
        Assert.Equal(2, process.ExitCode);
        Assert.Single(said.Trim().Split('\n'));
        Assert.Contains("can't be used", said, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("--listen", "somewhere")]
    [InlineData("--listen", "0.0.0.0")]
    [InlineData("--host", "not a name")]
    public async Task Words_that_make_no_sense_are_refused(string word, string value)
    {
        var process = Run("Maschera.Web.dll", "--data", Folder, word, value);
        var said = await process.StandardError.ReadToEndAsync(TestContext.Current.CancellationToken);
        await process.WaitForExitAsync(TestContext.Current.CancellationToken);
        Assert.Equal(2, process.ExitCode);
        Assert.Contains(word, said, StringComparison.Ordinal);
    }

    [Fact]
    public async Task The_certificate_stays_the_same_from_start_to_start_and_the_word_does_not()
    {
        var (first, second) = (await StartAsync(), await StartAsync());
        Assert.Equal(first[1], second[1]);
        Assert.NotEqual(first[2], second[2]);
        var key = Path.Combine(Folder, "keys", "server.pfx");
        if (!OperatingSystem.IsWindows())
            Assert.Equal(UnixFileMode.UserRead | UnixFileMode.UserWrite, File.GetUnixFileMode(key));
    }

    private async Task<List<string>> StartAsync()
    {
        var process = Run("Maschera.Web.dll", "--data", Folder, "--listen", $"0.0.0.0:{FreePort()}", "--host", "garage.test");
        List<string> said = [];
        for (var i = 0; i < 3; i++)
            said.Add((await process.StandardOutput.ReadLineAsync().WaitAsync(TimeSpan.FromMinutes(4)))!);
        process.Kill();
        await process.WaitForExitAsync(TestContext.Current.CancellationToken);
        return said;
    }
}
