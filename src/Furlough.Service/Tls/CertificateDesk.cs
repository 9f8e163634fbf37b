using Furlough.Protocol.Api;
using Furlough.Service.History;
using Furlough.Service.Storage;

namespace Furlough.Service.Tls;

/// <summary>What people ask of the service's certificate.</summary>
public sealed class CertificateDesk(ServiceOptions options, IServiceProvider parts, Store store, TimeProvider time)
{
    /// <summary>From then on people are reminded that it ends.</summary>
    private static readonly TimeSpan RemindedBefore = TimeSpan.FromDays(30);

    /// <summary>When the certificate ends, if that is soon; null otherwise, and where the service has none.</summary>
    public DateTimeOffset? Ending =>
        options.Listen is not null && Keys().View.NotAfter is var end && end - time.GetUtcNow() <= RemindedBefore
            ? end
            : null;

    /// <summary>The present one.</summary>
    /// <exception cref="RefusedException"><c>no-tls</c></exception>
    public CertificateView Show() => Keys().View;

    /// <summary>Makes a new certificate of the service's own.</summary>
    /// <exception cref="RefusedException"><c>no-tls</c></exception>
    public Task<CertificateView> RenewAsync(string who, CancellationToken stop) =>
        RecordedAsync(Keys().Renew(), who, stop);

    /// <summary>Shows the office's certificate from now on.</summary>
    /// <exception cref="RefusedException"><c>no-tls</c>, <c>certificate-refused</c></exception>
    public Task<CertificateView> UseAsync(CertificateRequest request, string who, CancellationToken stop) =>
        RecordedAsync(Keys().Use(request.Certificates, request.Key), who, stop);

    private Task<CertificateView> RecordedAsync(CertificateView shown, string who, CancellationToken stop) =>
        store.WriteAsync(
            db =>
            {
                db.Record(
                    time.GetUtcNow(),
                    who,
                    HistoryEvent.CertificateChanged,
                    About.Certificate,
                    detail: $"{(shown.Own ? "the service's own" : $"issued by {shown.IssuedBy}")}, until {shown.NotAfter:yyyy-MM-dd}"
                );
                return Task.FromResult(shown);
            },
            stop
        );

    private TlsKeys Keys() =>
        options.Listen is not null
            ? parts.GetRequiredService<TlsKeys>()
            : throw RefusedException.Conflict(
                "no-tls",
                options.Proxy is null
                    ? "The service listens on its own machine only, without TLS, and has no certificate."
                    : "The proxy before the service shows the certificate; the service has none.",
                options.Proxy is null ? "Start it with `--listen https://0.0.0.0:8443`." : "Look at the proxy's."
            );
}
