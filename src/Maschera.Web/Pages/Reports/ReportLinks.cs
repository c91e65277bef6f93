using System.Security.Cryptography;
using System.Text;
using Maschera.Store;

namespace Maschera.Web.Pages.Reports;

/// <summary>Words that open one report each.</summary>
internal static class ReportLinks
{
    /// <summary>128 random bits.</summary>
    private const int Bytes = 16;

    /// <summary>A word, and what is kept of it.</summary>
    public static (string Word, StoredReportLink Link) New(int job, int days, DateTime now)
    {
        var word = Convert.ToHexStringLower(RandomNumberGenerator.GetBytes(Bytes));
        return (
            word,
            new StoredReportLink
            {
                JobId = job,
                Sum = SumOf(word),
                MadeAt = now,
                EndsAt = now.AddDays(days),
            }
        );
    }

    /// <summary>What is kept of a word.</summary>
    public static string SumOf(string word) => Convert.ToHexString(SHA256.HashData(Encoding.UTF8.GetBytes(word)));
}
