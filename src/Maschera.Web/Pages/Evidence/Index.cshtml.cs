using System.Text;
using Maschera.App;
using Maschera.Core.Diagnosis;
using Maschera.Core.Readings;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;

namespace Maschera.Web.Pages.Evidence;

/// <summary>How strongly each finding speaks: what ships, a workshop's corrections, what its own jobs turned out to be.</summary>
public sealed class IndexModel(Strengths strengths) : PageModel
{
    [BindProperty]
    public string? Corrections { get; set; }

    public string? Problem { get; private set; }
    public StrengthsNow Now => strengths.Now;

    /// <summary>Faults that were found here, the most frequent first.</summary>
    public IEnumerable<(string Fault, int Jobs, double Shipped, double Here)> Counted
    {
        get
        {
            var (shipped, here) = (Likelihoods.Usual.Faults.Sum(f => f.Weight), Now.Known.Faults.Sum(f => f.Weight));
            return Now
                .Found.Where(f => Likelihoods.Usual.Find(f.Key) is not null)
                .OrderByDescending(f => f.Value)
                .Select(f => (f.Key, f.Value, Likelihoods.Usual.Find(f.Key)!.Weight / shipped, Now.Known.Find(f.Key)!.Weight / here));
        }
    }

    public void OnGet() => (Corrections, Problem) = (strengths.Text, Now.Problem);

    public IActionResult OnPost()
    {
        try
        {
            strengths.Keep(Corrections ?? "");
        }
        catch (ReadingException error)
        {
            Problem = error.Message;
            return Page();
        }

        TempData["Said"] = "The corrections are kept; every job is weighed with them.";
        return Redirect("/strengths");
    }

    /// <summary>The file that ships, to read and to copy lines from.</summary>
    public IActionResult OnGetFile() => File(Encoding.UTF8.GetBytes(Likelihoods.ShippedText), "text/plain; charset=utf-8");
}
