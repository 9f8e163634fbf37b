using System.Net;
using Furlough.Service.Access.People;
using Furlough.Service.Backups;

namespace Furlough.Service;

/// <summary>How the service is started.</summary>
/// <param name="Data">Folder for storage, keys and the first token.</param>
/// <param name="Port">Port on loopback; 0 takes a free one.</param>
/// <param name="Console">Folder of the built console, or null to look beside the program.</param>
public sealed record ServiceOptions(string Data, int Port, string? Console = null)
{
    /// <summary>The clock of everything.</summary>
    public TimeProvider Time { get; init; } = TimeProvider.System;

    /// <summary>Address on which it listens with TLS instead of loopback: https, an address of this machine and a port (0
    /// takes a free one); null for loopback without TLS.</summary>
    public Uri? Listen { get; init; }

    /// <summary>Address by which people reach it, for links in what it sends; null for where it listens.</summary>
    public Uri? PublicAddress { get; init; }

    /// <summary>A proxy that stands before it; null for none.</summary>
    public Proxy? Proxy { get; init; }

    /// <summary>Whether agents reach it with TLS, and so need its statement of keys.</summary>
    public bool HasTls => Listen is not null || Proxy is not null;

    /// <summary>Whether browsers must use TLS alone with this host (HSTS).</summary>
    public bool Hsts { get; init; }

    /// <summary>Through which server mail is sent; null for none.</summary>
    public MailServer? Mail { get; init; }

    /// <summary>With what people sign in besides tokens; null for nothing.</summary>
    public SignInProvider? Provider { get; init; }

    /// <summary>Port on loopback at which figures are read without a token; null for none.</summary>
    public int? MetricsPort { get; init; }

    /// <summary>Address of a collector of figures and traces (OTLP over HTTP); null for none.</summary>
    public Uri? Collector { get; init; }

    /// <summary>Whether the log is written as JSON, an object a line.</summary>
    public bool JsonLog { get; init; }

    /// <summary>Closes backups, and opens them; null for none.</summary>
    public string? BackupPassphrase { get; init; }

    /// <summary>Where and how often it backs itself up; null for never.</summary>
    public BackupPlan? Backups { get; init; }

    /// <summary>Whether web calls may go to addresses of private networks and of this machine.</summary>
    public bool MayCallPrivate { get; init; }
}

/// <summary>A proxy that stands before the service and shows a certificate of its own.</summary>
/// <param name="Address">Whose calls are believed when they say whose call they pass on.</param>
/// <param name="Authorities">Certificates (DER, base64) of those that issue the proxy's; empty where the machines of the
/// agents trust them anyhow.</param>
public sealed record Proxy(IPAddress Address, IReadOnlyList<string> Authorities);

/// <summary>A server that takes mail (SMTP).</summary>
/// <param name="Server">smtp://HOST:PORT, which goes on encrypted where the server can; or smtps://HOST:PORT, encrypted
/// from the beginning.</param>
/// <param name="From">The address that mail comes from.</param>
/// <param name="Account">With which the sender signs in there; null for nobody.</param>
public sealed record MailServer(Uri Server, string From, string? Account, string? Password);
