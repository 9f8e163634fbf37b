using System.Net.Security;
using System.Security.Cryptography.X509Certificates;
using Furlough.Protocol;

namespace Furlough.Agent;

/// <summary>
/// Lets the agent talk over TLS to the service of its invite and to nobody else. It trusts what that service's statement
/// tells it to: a connection that this does not cover is looked up in a newer statement before anything else is said.
/// </summary>
internal sealed class ServiceTrust : DelegatingHandler
{
    private const int LongestStatement = 64 << 10;
    private static readonly TimeSpan LongestWait = TimeSpan.FromSeconds(20);

    /// <summary>So a key that was lost is not trusted for long where nothing else makes the agent look.</summary>
    private static readonly TimeSpan ReadAgainAfter = TimeSpan.FromHours(1);

    private readonly Uri _service;
    private readonly string _serviceKey;
    private readonly string _file;
    private readonly TimeProvider _time;
    private readonly SemaphoreSlim _reading = new(1);
    private volatile Reading? _last;

    /// <param name="service">Address of the service.</param>
    /// <param name="serviceKey">The service's identity, from the invite.</param>
    /// <param name="file">Where the statement is kept that was read last.</param>
    /// <param name="time">The clock.</param>
    internal ServiceTrust(Uri service, string serviceKey, string file, TimeProvider time)
    {
        (_service, _serviceKey, _file, _time) = (service, serviceKey, file, time);
        var connections = AgentClient.Connections();
        connections.SslOptions.RemoteCertificateValidationCallback = (_, shown, chain, wrong) =>
            shown is X509Certificate2 certificate
            && _last?.Statement.Trusts(certificate, wrong, CameWith(chain)) == true;
        InnerHandler = connections;
        if (File.Exists(file))
            _last = TryRead(File.ReadAllText(file).Trim()) is { } kept
                ? new Reading(DateTimeOffset.MinValue, kept)
                : null;
    }

    private static X509Certificate2Collection CameWith(X509Chain? chain) =>
        [.. chain?.ChainElements.Select(e => e.Certificate) ?? [], .. chain?.ChainPolicy.ExtraStore ?? []];

    protected override void Dispose(bool disposing)
    {
        if (disposing)
            _reading.Dispose();
        base.Dispose(disposing);
    }

    /// <inheritdoc/>
    protected override async Task<HttpResponseMessage> SendAsync(HttpRequestMessage request, CancellationToken stop)
    {
        var known = _last;
        if (known is null || _time.GetUtcNow() - known.At > ReadAgainAfter)
            known = await ReadAfterAsync(known, stop);
        try
        {
            return await base.SendAsync(request, stop);
        }
        catch (HttpRequestException refused) when (refused.HttpRequestError == HttpRequestError.SecureConnectionError)
        {
            // The connection was never made, so nothing of the call was sent.
            var fresh = await ReadAfterAsync(known, stop);
            if (fresh.Statement.Number == known.Statement.Number)
                throw NotTrusted("its certificate is none that the service has told of.");
            return await base.SendAsync(request, stop);
        }
    }

    /// <summary>
    /// Reads the statement, over a connection that is trusted with nothing: the signature alone counts. Whoever waited
    /// while another call read it reads it no second time.
    /// </summary>
    private async Task<Reading> ReadAfterAsync(Reading? last, CancellationToken stop)
    {
        await _reading.WaitAsync(stop);
        try
        {
            if (_last is { } other && other != last)
                return other;
            using var anyone = new SocketsHttpHandler
            {
                AllowAutoRedirect = false,
                SslOptions = new SslClientAuthenticationOptions
                {
                    RemoteCertificateValidationCallback = (_, shown, _, _) => shown is not null,
                },
            };
            using var http = new HttpClient(anyone)
            {
                BaseAddress = _service,
                Timeout = LongestWait,
                MaxResponseContentBufferSize = LongestStatement,
            };
            using var answer = await http.GetAsync(TlsStatement.Path, stop);
            answer.EnsureSuccessStatusCode();
            var signed = await answer.Content.ReadAsStringAsync(stop);
            var read = TryRead(signed) ?? throw NotTrusted("it is not the one that made this agent's invite.");
            if (read.Number < last?.Statement.Number)
                throw NotTrusted("what it tells of its keys is older than what it told before.");
            if (read.Number != last?.Statement.Number)
                PrivateFile.Write(_file, signed);
            return _last = new Reading(_time.GetUtcNow(), read);
        }
        finally
        {
            _reading.Release();
        }
    }

    private sealed record Reading(DateTimeOffset At, TlsStatement Statement);

    private TlsStatement? TryRead(string signed)
    {
        try
        {
            return TlsStatement.Read(_serviceKey, signed);
        }
        catch (SignatureException)
        {
            return null;
        }
    }

    private ServiceException NotTrusted(string why) =>
        new(
            0,
            "service-not-trusted",
            $"The service at {_service} is not trusted: {why}",
            "Check the address. If the service was set up anew, make a new invite with `furlough machine invite`.",
            null,
            null
        );
}
