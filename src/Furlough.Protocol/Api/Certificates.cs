namespace Furlough.Protocol.Api;

/// <summary>The certificate that the service shows.</summary>
/// <param name="Own">Made by the service itself; else the office's.</param>
/// <param name="Names">Host names and addresses that it is for.</param>
/// <param name="IssuedBy">The common name of its authority, or of itself.</param>
/// <param name="Fingerprint">SHA-256 of the certificate, in hexadecimal.</param>
/// <param name="Statement">Number of the statement by which agents know its key.</param>
/// <param name="Pem">The certificate, and those between it and its authority.</param>
public sealed record CertificateView(
    bool Own,
    IReadOnlyList<string> Names,
    string IssuedBy,
    DateTimeOffset NotBefore,
    DateTimeOffset NotAfter,
    string Fingerprint,
    long Statement,
    string Pem
);

/// <summary>An office's certificate for the service.</summary>
/// <param name="Certificates">PEM: the certificate, then those between it and its authority.</param>
/// <param name="Key">PEM, without a passphrase.</param>
public sealed record CertificateRequest(string Certificates, string Key);
