using System.Net;
using System.Net.Http.Json;
using System.Net.Sockets;
using System.Security.Authentication;
using System.Text.Json;

namespace Furlough.Protocol;

/// <summary>The service answered with an error, or could not be reached (<see cref="Status"/> is then 0).</summary>
public sealed class ServiceException(
    int status,
    string code,
    string message,
    string? remedy,
    string? place,
    IReadOnlyList<string>? details
) : Exception(message)
{
    /// <summary>HTTP status.</summary>
    public int Status { get; } = status;

    /// <summary>Stable code.</summary>
    public string Code { get; } = code;

    /// <summary>What to do.</summary>
    public string? Remedy { get; } = remedy;

    /// <summary>The offending place, such as a line and column of a brief.</summary>
    public string? Place { get; } = place;

    /// <summary>Further lines.</summary>
    public IReadOnlyList<string> Details { get; } = details ?? [];

    /// <summary>
    /// Whether an exception of a call says that the service did not answer. A connection that breaks while it is being
    /// made is reported by the socket itself.
    /// </summary>
    public static bool IsUnreachable(Exception exception, CancellationToken stop) =>
        exception is HttpRequestException or IOException or SocketException or ObjectDisposedException
        || (exception is TaskCanceledException && !stop.IsCancellationRequested);

    /// <summary>The service cannot be reached.</summary>
    public static ServiceException Unreachable(Uri? address, Exception cause) =>
        cause.InnerException is AuthenticationException untrusted
            ? NotTrusted(address, untrusted)
            : new(
                0,
                "service-unreachable",
                $"The service at {address} does not answer ({cause.Message}).",
                "Check that it runs and that the address is right.",
                null,
                null
            );

    private static ServiceException NotTrusted(Uri? address, AuthenticationException why) =>
        new(
            0,
            "service-not-trusted",
            $"The service at {address} shows a certificate that is not trusted here ({why.Message}).",
            "If that is the service's own certificate, give a copy of it with --certificate FILE or FURLOUGH_CERTIFICATE; "
                + "it is `certificate.pem` in the service's data folder.",
            null,
            null
        );

    /// <summary>Reads the error out of an answer, if it is one.</summary>
    /// <exception cref="ServiceException"/>
    public static async Task ThrowIfErrorAsync(HttpResponseMessage response, CancellationToken stop)
    {
        if (response.IsSuccessStatusCode)
            return;
        Problem? problem = null;
        try
        {
            problem = await response.Content.ReadFromJsonAsync(ProtocolJson.Default.Problem, stop);
        }
        catch (JsonException) { }
        var status = (int)response.StatusCode;
        throw new ServiceException(
            status,
            problem?.Code ?? $"http-{status}",
            problem?.Detail ?? problem?.Title ?? $"The service answered {status} {Words(response.StatusCode)}.",
            problem?.Remedy,
            problem?.Place,
            problem?.Details
        );
    }

    private static string Words(HttpStatusCode status) => status.ToString();
}
