using System.Net;
using System.Security.Cryptography;
using System.Security.Cryptography.X509Certificates;

namespace Furlough.EndToEnd.Tests;

/// <summary>An office's own authority, which issues certificates as files.</summary>
internal sealed class OfficeCertificates : IDisposable
{
    private readonly RSA _key = RSA.Create(2048);
    private readonly X509Certificate2 _authority;
    private readonly string _folder;

    internal OfficeCertificates(string folder, string name = "Office authority")
    {
        _folder = Directory.CreateDirectory(folder).FullName;
        var asked = new CertificateRequest($"CN={name}", _key, HashAlgorithmName.SHA256, RSASignaturePadding.Pkcs1);
        asked.CertificateExtensions.Add(new X509BasicConstraintsExtension(true, false, 0, true));
        _authority = asked.CreateSelfSigned(DateTimeOffset.UtcNow.AddDays(-1), DateTimeOffset.UtcNow.AddDays(90));
        Authority = Put("authority.pem", _authority.ExportCertificatePem());
    }

    /// <summary>The file of the authority's certificate.</summary>
    internal string Authority { get; }

    public void Dispose()
    {
        _authority.Dispose();
        _key.Dispose();
    }

    /// <summary>A certificate for an address, and its key.</summary>
    internal (string Certificate, string Key) Issue(string address)
    {
        using var key = RSA.Create(2048);
        var request = new CertificateRequest("CN=furlough", key, HashAlgorithmName.SHA256, RSASignaturePadding.Pkcs1);
        var names = new SubjectAlternativeNameBuilder();
        names.AddIpAddress(IPAddress.Parse(address));
        request.CertificateExtensions.Add(names.Build());
        using var certificate = request.Create(
            _authority,
            DateTimeOffset.UtcNow.AddDays(-1),
            DateTimeOffset.UtcNow.AddDays(60),
            RandomNumberGenerator.GetBytes(8)
        );
        return (
            Put($"{address}.pem", certificate.ExportCertificatePem()),
            Put($"{address}.key", key.ExportPkcs8PrivateKeyPem())
        );
    }

    private string Put(string name, string text)
    {
        File.WriteAllText($"{_folder}/{name}", text + "\n");
        return $"{_folder}/{name}";
    }
}
