using System.Security.Cryptography.X509Certificates;
using Maschera.Store.People;

namespace Maschera.Web.People;

/// <summary>The server on a network: HTTPS alone, and what its console says at the start.</summary>
internal static class Network
{
    /// <summary>Listens with that certificate; plain HTTP is not spoken beyond the machine.</summary>
    public static void Secure(this WebApplicationBuilder builder, Reach reach, X509Certificate2 certificate)
    {
        builder.WebHost.ConfigureKestrel(kestrel => kestrel.Listen(reach.At, listen => listen.UseHttps(certificate)));
        builder.Services.AddSingleton(certificate);
    }

    /// <summary>Says where it is to be found, how to know it, and how the first person gets in.</summary>
    public static void Welcome(this IServiceProvider services, Reach reach)
    {
        Console.WriteLine($"Maschera is ready at {reach.Place}");
        if (services.GetService<X509Certificate2>() is not { } certificate)
            return;
        Console.WriteLine($"Its certificate's SHA-256 fingerprint: {ServerCertificate.Fingerprint(certificate)}");
        using var scope = services.CreateScope();
        if (!scope.ServiceProvider.GetRequiredService<PeopleDb>().Users.Any())
            Console.WriteLine(
                $"Nobody is known yet. The first person opens {reach.Place}/people/first with the word "
                    + services.GetRequiredService<FirstWord>().Word
            );
    }
}
