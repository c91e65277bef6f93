using System.Text.RegularExpressions;
using Microsoft.Extensions.FileProviders;

namespace Maschera.Web.Pages.Reports;

/// <summary>Puts styles and type into a page, so that it opens anywhere without anything beside it.</summary>
internal static partial class OneFile
{
    /// <summary>The application's styles with its type within them.</summary>
    public static async Task<string> StylesAsync(IFileProvider files)
    {
        var styles = await TextAsync(files, "site.css");
        foreach (var font in Fonts().Matches(styles).Select(m => m.Groups[1].Value).Distinct())
        {
            using var content = new MemoryStream();
            await using (var file = files.GetFileInfo(font).CreateReadStream())
                await file.CopyToAsync(content);
            var within = $"data:font/woff2;base64,{Convert.ToBase64String(content.GetBuffer(), 0, (int)content.Length)}";
            styles = styles.Replace(font, within, StringComparison.Ordinal);
        }

        // A page that is opened as a file closes its own element of styles only.
        return styles.Replace("</", "<\\/", StringComparison.Ordinal);
    }

    private static async Task<string> TextAsync(IFileProvider files, string name)
    {
        using var reader = new StreamReader(files.GetFileInfo(name).CreateReadStream());
        return await reader.ReadToEndAsync();
    }

    [GeneratedRegex(@"url\([""']?(/fonts/[^)""']+)[""']?\)")]
    private static partial Regex Fonts();
}
