namespace Maschera.App;

/// <summary>Where a check is begun.</summary>
public static class CheckStart
{
    private static readonly string[] s_byCodeReader = ["codes", "on-board-tests"];
    private static readonly string[] s_byEye = ["look", "leak-down", "borescope", "swap-part"];
    private static readonly string[] s_byMeter = ["circuit", "supply-voltages"];

    /// <summary>The page that makes a check for a job, with its form filled for it.</summary>
    public static string Address(int job, string check, int? cylinder) =>
        s_byCodeReader.Contains(check) ? $"/jobs/{job}/look"
        : s_byEye.Contains(check) ? $"/jobs/{job}/seen"
        : s_byMeter.Contains(check) ? $"/jobs/{job}/sheet"
        : $"/rig?job={job}&check={check}" + (cylinder is { } own ? $"&cylinder={own}" : "");
}
