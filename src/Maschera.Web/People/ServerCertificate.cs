using System.Net;
using System.Security.Cryptography;
using System.Security.Cryptography.X509Certificates;
using Maschera.Store;
using Maschera.Store.Upkeep;

namespace Maschera.Web.People;

/// <summary>The certificate of a server on a network: one that is given, or one of its own, made at the first start.</summary>
internal static class ServerCertificate
{
    /// <summary>Where the password of a given certificate is looked for.</summary>
    public const string Password = "MASCHERA_CERTIFICATE_PASSWORD";

    private static readonly TimeSpan s_lasts = TimeSpan.FromDays(397);
    private static readonly TimeSpan s_renewedBefore = TimeSpan.FromDays(14);

    /// <summary>The certificate with its private key.</summary>
    /// <exception cref="UpkeepException">The file that was given is none, or its password is wrong.</exception>
    public static X509Certificate2 Of(string? given, Reach reach, DataFolder data) =>
        given is null ? Own(reach, Path.Combine(data.Root, "keys", "server.pfx")) : Given(given);

    /// <summary>What a person compares on first sight, in pairs.</summary>
    public static string Fingerprint(X509Certificate2 certificate) =>
        string.Join(':', certificate.GetCertHash(HashAlgorithmName.SHA256).Select(b => b.ToString("X2", null)));

    private static X509Certificate2 Given(string file)
    {
        try
        {
            var password = Environment.GetEnvironmentVariable(Password);
            return file.EndsWith(".pem", StringComparison.OrdinalIgnoreCase)
                ? X509Certificate2.CreateFromPemFile(file)
                : X509CertificateLoader.LoadPkcs12FromFile(file, password);
        }
        catch (Exception error) when (error is CryptographicException or IOException or UnauthorizedAccessException)
        {
            throw new UpkeepException(
                $"The certificate {file} can't be used: {error.Message.TrimEnd('.')}. It is a .pfx file, its password in {Password}, "
                    + "or a .pem file with certificate and key."
            );
        }
    }

    private static X509Certificate2 Own(Reach reach, string file)
    {
        if (Kept(file, reach) is { } kept)
            return kept;
        using var key = ECDsa.Create(ECCurve.NamedCurves.nistP256);
        var request = new CertificateRequest($"CN={reach.Names().First()}", key, HashAlgorithmName.SHA256);
        request.CertificateExtensions.Add(NamesOf(reach));
        request.CertificateExtensions.Add(new X509BasicConstraintsExtension(false, false, 0, true));
        request.CertificateExtensions.Add(new X509KeyUsageExtension(X509KeyUsageFlags.DigitalSignature, true));
        request.CertificateExtensions.Add(new X509EnhancedKeyUsageExtension([new("1.3.6.1.5.5.7.3.1")], false));
        using var made = request.CreateSelfSigned(DateTimeOffset.UtcNow.AddDays(-1), DateTimeOffset.UtcNow + s_lasts);
        Directory.CreateDirectory(Path.GetDirectoryName(file)!);
        File.WriteAllBytes(file, made.Export(X509ContentType.Pkcs12));
        if (!OperatingSystem.IsWindows())
            File.SetUnixFileMode(file, UnixFileMode.UserRead | UnixFileMode.UserWrite);
        return X509CertificateLoader.LoadPkcs12FromFile(file, null);
    }

    /// <summary>The one made before, while it lasts and holds the names of today.</summary>
    private static X509Certificate2? Kept(string file, Reach reach)
    {
        if (!File.Exists(file))
            return null;
        try
        {
            var kept = X509CertificateLoader.LoadPkcs12FromFile(file, null);
            var names = kept
                .Extensions.OfType<X509SubjectAlternativeNameExtension>()
                .SelectMany(Held)
                .ToHashSet(StringComparer.OrdinalIgnoreCase);
            return kept.NotAfter > DateTime.Now + s_renewedBefore && reach.Names().All(names.Contains) ? kept : null;
        }
        catch (CryptographicException)
        {
            return null;
        }
    }

    private static IEnumerable<string> Held(X509SubjectAlternativeNameExtension names) =>
        names.EnumerateDnsNames().Concat(names.EnumerateIPAddresses().Select(a => a.ToString()));

    private static X509Extension NamesOf(Reach reach)
    {
        var names = new SubjectAlternativeNameBuilder();
        foreach (var name in reach.Names().Append("localhost").Append("127.0.0.1"))
            if (IPAddress.TryParse(name, out var address))
                names.AddIpAddress(address);
            else
                names.AddDnsName(name);
        return names.Build();
    }
}
