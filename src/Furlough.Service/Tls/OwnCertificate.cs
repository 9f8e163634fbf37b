using System.Net;
using System.Net.NetworkInformation;
using System.Net.Sockets;
using System.Security.Cryptography;
using System.Security.Cryptography.X509Certificates;

namespace Furlough.Service.Tls;

/// <summary>A certificate that the service makes for itself: nobody vouches for it but its agents' statement.</summary>
internal static class OwnCertificate
{
    /// <summary>Browsers refuse longer ones.</summary>
    private const int ValidDays = 397;
    private const string ServerAuthentication = "1.3.6.1.5.5.7.3.1";

    /// <summary>A new key (EC P-256).</summary>
    internal static ECDsa MakeKey() => ECDsa.Create(ECCurve.NamedCurves.nistP256);

    /// <summary>Makes one for this machine's names and addresses, and signs it with its own key.</summary>
    internal static X509Certificate2 Make(ECDsa key, DateTimeOffset now)
    {
        var name = Dns.GetHostName();
        var request = new CertificateRequest($"CN={name}, O=Furlough", key, HashAlgorithmName.SHA256);
        var names = new SubjectAlternativeNameBuilder();
        foreach (var host in Names(name))
            names.AddDnsName(host);
        foreach (var address in Addresses())
            names.AddIpAddress(address);
        request.CertificateExtensions.Add(names.Build());
        request.CertificateExtensions.Add(new X509BasicConstraintsExtension(false, false, 0, critical: true));
        request.CertificateExtensions.Add(
            new X509KeyUsageExtension(X509KeyUsageFlags.DigitalSignature, critical: true)
        );
        request.CertificateExtensions.Add(
            new X509EnhancedKeyUsageExtension([new Oid(ServerAuthentication)], critical: false)
        );
        // Machines whose clocks are a little behind are to accept it as well.
        return request.CreateSelfSigned(now.AddHours(-1), now.AddDays(ValidDays));
    }

    private static IEnumerable<string> Names(string host)
    {
        var domain = IPGlobalProperties.GetIPGlobalProperties().DomainName;
        List<string> names = [host, "localhost"];
        if (domain.Length > 0 && domain != "(none)" && !host.Contains('.'))
            names.Insert(0, $"{host}.{domain}");
        return names.Distinct(StringComparer.OrdinalIgnoreCase);
    }

    private static IEnumerable<IPAddress> Addresses() =>
        NetworkInterface
            .GetAllNetworkInterfaces()
            .Where(i => i.OperationalStatus == OperationalStatus.Up)
            .SelectMany(i => i.GetIPProperties().UnicastAddresses)
            .Select(a => a.Address)
            .Where(a => !a.IsIPv6LinkLocal)
            .Select(a => a.AddressFamily == AddressFamily.InterNetworkV6 ? new IPAddress(a.GetAddressBytes()) : a)
            .Append(IPAddress.Loopback)
            .Distinct();
}
