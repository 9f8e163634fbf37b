using System.Net.Security;
using System.Security.Authentication;
using System.Security.Cryptography;
using System.Security.Cryptography.X509Certificates;
using System.Text.Json;
using System.Text.Json.Serialization;
using Furlough.Protocol;
using Furlough.Protocol.Api;

namespace Furlough.Service.Tls;

/// <summary>
/// The certificate that the service shows, the key that it will show next, and the signed statement of both. One file
/// holds all of it, so it is replaced at once or not at all.
/// </summary>
public sealed class TlsKeys : IDisposable
{
    /// <summary>The file's name in the data folder.</summary>
    public const string FileName = "tls-keys";

    /// <summary>A copy of the certificate alone beside it, for those who are to trust it.</summary>
    public const string CertificateFile = "certificate.pem";

    private readonly string _file;
    private readonly SigningKey _identity;
    private readonly TimeProvider _time;
    private readonly ProxyTrust? _proxy;
    private readonly Lock _lock = new();
    private volatile Shown _shown;

    /// <summary>Reads them, or makes the first ones.</summary>
    /// <exception cref="IOException">The file cannot be read, or is damaged.</exception>
    public TlsKeys(ServiceOptions options, SigningKey identity, TimeProvider time)
    {
        (_file, _identity, _time) = (Path.Combine(options.Data, FileName), identity, time);
        _proxy = options.Proxy is { } proxy ? new ProxyTrust(proxy.Authorities) : null;
        _shown = File.Exists(_file) ? Read() : Keep(MakeOwn(null));
        if (!IsSame(_shown.Kept.Proxy, _proxy))
            _shown = Keep(_shown.Kept with { Number = NextNumber(), Proxy = _proxy });
    }

    /// <inheritdoc/>
    public void Dispose() => _shown.Certificate.Dispose();

    /// <summary>What agents read before they trust a connection: a <see cref="TlsStatement"/>, signed.</summary>
    public string Statement => _shown.Statement;

    /// <summary>How a connection is taken: the present certificate, TLS 1.2 and 1.3.</summary>
    public SslServerAuthenticationOptions Server => _shown.Server;

    /// <summary>What people see of the certificate.</summary>
    public CertificateView View => _shown.View;

    /// <summary>Whether the certificate names this host, by name or address; what is neither is nobody's.</summary>
    public bool IsFor(string host) =>
        Uri.CheckHostName(host) is UriHostNameType.Dns or UriHostNameType.IPv4 or UriHostNameType.IPv6
        && _shown.Certificate.MatchesHostname(host.Trim('[', ']'), allowWildcards: true, allowCommonName: false);

    /// <summary>Shows a certificate of the service's own with the key that was announced as the next.</summary>
    public CertificateView Renew()
    {
        lock (_lock)
        {
            using var next = _shown.Kept.NextKey is { } pem ? KeyOf(pem) : null;
            return (_shown = Keep(MakeOwn(next))).View;
        }
    }

    /// <summary>Shows a certificate of the office's.</summary>
    /// <param name="certificates">PEM: the certificate, then those between it and its authority.</param>
    /// <param name="key">PEM, without a passphrase.</param>
    /// <exception cref="RefusedException"><c>certificate-refused</c>; nothing has changed</exception>
    public CertificateView Use(string certificates, string key)
    {
        lock (_lock)
        {
            var kept = new KeyFile(NextNumber(), false, certificates, key, null, _proxy);
            Shown fresh;
            try
            {
                fresh = Show(kept);
            }
            catch (Exception unfit) when (unfit is CryptographicException or ArgumentException)
            {
                throw Refused($"It cannot be used: {unfit.Message.TrimEnd('.')}.");
            }
            if (fresh.Certificate.NotAfter.ToUniversalTime() <= _time.GetUtcNow())
                throw Refused($"It ended on {fresh.Certificate.NotAfter.ToUniversalTime():yyyy-MM-dd}.");
            if (fresh.View.Names.Count == 0)
                throw Refused("It names no host.");
            Write(kept);
            return (_shown = fresh).View;
        }
    }

    private static RefusedException Refused(string why) =>
        new(
            RefusalKind.Malformed,
            "certificate-refused",
            $"The certificate is refused. {why} The former one is still shown.",
            "Give the certificate followed by those between it and its authority, and its key without a passphrase, both as PEM."
        );

    /// <summary>Larger than any before it, also where a backup put back a smaller one.</summary>
    private long NextNumber() => Math.Max((_shown?.Kept.Number ?? 0) + 1, _time.GetUtcNow().ToUnixTimeSeconds());

    /// <summary>
    /// A data folder that was restored from a backup tells of its keys in a statement that is newer than any before it.
    /// </summary>
    internal static void Renumber(string data, DateTimeOffset now)
    {
        var file = Path.Combine(data, FileName);
        if (!File.Exists(file))
            return;
        var kept = JsonSerializer.Deserialize(File.ReadAllText(file), TlsJson.Default.KeyFile)
            ?? throw new JsonException($"{FileName} is empty");
        PrivateFile.Write(
            file,
            JsonSerializer.Serialize(
                kept with
                {
                    Number = Math.Max(kept.Number + 1, now.ToUnixTimeSeconds()),
                },
                TlsJson.Default.KeyFile
            ) + "\n"
        );
    }

    private KeyFile MakeOwn(ECDsa? announced)
    {
        using var made = announced is null ? OwnCertificate.MakeKey() : null;
        var key = announced ?? made!;
        using var next = OwnCertificate.MakeKey();
        using var certificate = OwnCertificate.Make(key, _time.GetUtcNow());
        return new KeyFile(
            NextNumber(),
            true,
            certificate.ExportCertificatePem(),
            key.ExportPkcs8PrivateKeyPem(),
            next.ExportPkcs8PrivateKeyPem(),
            _proxy
        );
    }

    private Shown Keep(KeyFile kept)
    {
        var shown = Show(kept);
        Write(kept);
        return shown;
    }

    private void Write(KeyFile kept)
    {
        PrivateFile.Write(_file, JsonSerializer.Serialize(kept, TlsJson.Default.KeyFile) + "\n");
        WriteCopy(kept);
    }

    private void WriteCopy(KeyFile kept) =>
        PrivateFile.Write(
            Path.Combine(Path.GetDirectoryName(_file)!, CertificateFile),
            kept.Certificates.Trim() + "\n"
        );

    private Shown Read()
    {
        try
        {
            var kept = JsonSerializer.Deserialize(File.ReadAllText(_file), TlsJson.Default.KeyFile)
                ?? throw new JsonException("it is empty");
            var shown = Show(kept);
            WriteCopy(kept);
            return shown;
        }
        catch (Exception damaged) when (damaged is JsonException or CryptographicException or ArgumentException)
        {
            throw new IOException(
                $"{_file} is damaged ({damaged.Message}). Move it away: the service makes new keys, and its agents learn them."
            );
        }
    }

    private Shown Show(KeyFile kept)
    {
        using var plain = X509Certificate2.CreateFromPem(kept.Certificates, kept.Key);
        // Windows takes no key for TLS that lives in memory only.
        var certificate = OperatingSystem.IsWindows()
            ? X509CertificateLoader.LoadPkcs12(plain.Export(X509ContentType.Pkcs12), null)
            : new X509Certificate2(plain);
        var chain = new X509Certificate2Collection();
        chain.ImportFromPem(kept.Certificates);
        List<string> keys = [TlsStatement.KeyOf(certificate)];
        if (kept.NextKey is { } pem)
            using (var next = KeyOf(pem))
                keys.Add(TlsStatement.KeyOf(next.ExportSubjectPublicKeyInfo()));
        return new Shown(
            kept,
            certificate,
            new SslServerAuthenticationOptions
            {
                ServerCertificateContext = SslStreamCertificateContext.Create(certificate, chain, offline: true),
                EnabledSslProtocols = SslProtocols.Tls12 | SslProtocols.Tls13,
                ApplicationProtocols = [SslApplicationProtocol.Http2, SslApplicationProtocol.Http11],
            },
            new TlsStatement(kept.Number, keys, kept.Proxy).Sign(_identity),
            ViewOf(kept, certificate)
        );
    }

    private static bool IsSame(ProxyTrust? one, ProxyTrust? other) =>
        one is null || other is null ? one == other : one.Authorities.SequenceEqual(other.Authorities);

    private static ECDsa KeyOf(string pem)
    {
        var key = ECDsa.Create();
        key.ImportFromPem(pem);
        return key;
    }

    private static CertificateView ViewOf(KeyFile kept, X509Certificate2 certificate)
    {
        var names = certificate.Extensions.OfType<X509SubjectAlternativeNameExtension>().ToList();
        return new CertificateView(
            kept.Own,
            [
                .. names.SelectMany(n => n.EnumerateDnsNames()),
                .. names.SelectMany(n => n.EnumerateIPAddresses()).Select(a => a.ToString()),
            ],
            certificate.GetNameInfo(X509NameType.SimpleName, forIssuer: true),
            certificate.NotBefore.ToUniversalTime(),
            certificate.NotAfter.ToUniversalTime(),
            certificate.GetCertHashString(HashAlgorithmName.SHA256),
            kept.Number,
            kept.Certificates
        );
    }

    /// <summary>Everything that connections and people are shown, made from one file.</summary>
    private sealed record Shown(
        KeyFile Kept,
        X509Certificate2 Certificate,
        SslServerAuthenticationOptions Server,
        string Statement,
        CertificateView View
    );
}

/// <summary>The file of the keys, and what else the statement tells.</summary>
/// <param name="Own">The service made the certificate itself.</param>
/// <param name="Certificates">PEM, the service's first.</param>
/// <param name="Key">PEM (PKCS #8), of the first certificate.</param>
/// <param name="NextKey">PEM, announced and not shown yet; null with an office's certificate.</param>
/// <param name="Proxy">Null where no proxy stands before the service.</param>
internal sealed record KeyFile(
    long Number,
    bool Own,
    string Certificates,
    string Key,
    string? NextKey,
    ProxyTrust? Proxy = null
);

[JsonSourceGenerationOptions(RespectNullableAnnotations = true, RespectRequiredConstructorParameters = true)]
[JsonSerializable(typeof(KeyFile))]
internal sealed partial class TlsJson : JsonSerializerContext;
