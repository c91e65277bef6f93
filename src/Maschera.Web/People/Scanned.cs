using QRCoder;

namespace Maschera.Web.People;

/// <summary>An address as a picture to scan (ISO/IEC 18004).</summary>
internal static class Scanned
{
    private const int Dot = 5;

    /// <summary>The picture as the address of an image.</summary>
    public static string Picture(string address)
    {
        using var made = QRCodeGenerator.GenerateQrCode(address, QRCodeGenerator.ECCLevel.M);
        using var picture = new SvgQRCode(made);
        var svg = picture.GetGraphic(Dot, "#241F1A", "#FFFFFF");
        return "data:image/svg+xml;base64," + Convert.ToBase64String(System.Text.Encoding.UTF8.GetBytes(svg));
    }
}
