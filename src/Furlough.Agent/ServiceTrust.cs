using System.Net.Security;
using System.Security.Cryptography.X509Certificates;
using Furlough.Protocol;

namespace Furlough.Agent;

/// <summary>
/// Lets the agent talk over TLS to the service of its invite and to nobody else. It trusts the keys of that service's
/// statement, and no certificate: one with another key is looked up in a newer statement before anything else is said.
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
    private volatile TlsStatement? _statement;
    private DateTimeOffset _readAt = DateTimeOffset.MinValue;

    /// <param name="service">Address of the service.</param>
    /// <param name="serviceKey">The service's identity, from the invite.</param>
    /// <param name="file">Where the statement is kept that was read last.</param>
    /// <param name="time">The clock.</param>
    internal ServiceTrust(Uri service, string serviceKey, string file, TimeProvider time)
    {
        (_service, _serviceKey, _file, _time) = (service, serviceKey, file, time);
        var connections = AgentClient.Connections();
        connections.SslOptions.RemoteCertificateValidationCallback = (_, shown, _, _) =>
            shown is X509Certificate2 certificate
            && _statement?.Keys.Contains(TlsStatement.KeyOf(certificate), StringComparer.Ordinal) == true;
        InnerHandler = connections;
        if (File.Exists(file))
            _statement = TryRead(File.ReadAllText(file).Trim());
    }

    protected override void Dispose(bool disposing)
    {
        if (disposing)
            _reading.Dispose();
        base.Dispose(disposing);
    }

    /// <inheritdoc/>
    protected override async Task<HttpResponseMessage> SendAsync(HttpRequestMessage request, CancellationToken stop)
    {
        if (_time.GetUtcNow() - _readAt > ReadAgainAfter)
            await ReadAsync(stop);
        try
        {
            return await base.SendAsync(request, stop);
        }
        catch (HttpRequestException refused) when (refused.HttpRequestError == HttpRequestError.SecureConnectionError)
        {
            // The connection was never made, so nothing of the call was sent.
            var before = _statement;
            await ReadAsync(stop);
            if (_statement?.Number == before?.Number)
                throw NotTrusted("it has a key that the service has not told of.");
            return await base.SendAsync(request, stop);
        }
    }

    /// <summary>Reads the statement over a connection that is trusted with nothing: the signature alone counts.</summary>
    private async Task ReadAsync(CancellationToken stop)
    {
        await _reading.WaitAsync(stop);
        try
        {
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
            if (read.Number < _statement?.Number)
                throw NotTrusted("what it tells of its keys is older than what it told before.");
            _readAt = _time.GetUtcNow();
            if (read.Number == _statement?.Number)
                return;
            PrivateFile.Write(_file, signed);
            _statement = read;
        }
        finally
        {
            _reading.Release();
        }
    }

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
