using System.Net.Http.Headers;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using Furlough.Model;
using Furlough.Service.Storage;
using MailKit.Net.Smtp;
using MailKit.Security;
using MimeKit;

namespace Furlough.Service.Notifications;

/// <summary>
/// Sends one notification, by mail or as a CloudEvents 1.0 event in JSON, signed as the Standard Webhooks 1.0 say.
/// </summary>
public sealed class NotificationSending(ServiceOptions options, CallSecrets secrets) : IDisposable
{
    private static readonly TimeSpan Longest = TimeSpan.FromSeconds(15);
    private readonly HttpClient _http = new(
        new SocketsHttpHandler
        {
            AllowAutoRedirect = false,
            UseCookies = false,
            UseProxy = false,
            MaxResponseHeadersLength = 16,
            MaxResponseDrainSize = 0,
            ConnectCallback = (call, stop) => CallTargets.ConnectAsync(options, call, stop),
        }
    )
    {
        Timeout = Longest,
        MaxResponseContentBufferSize = 64 << 10,
    };

    /// <summary>Sends it; says why when that did not work.</summary>
    public async Task<string?> SendAsync(
        ReceiverRow receiver,
        NotificationRow notification,
        DateTimeOffset now,
        CancellationToken stop
    )
    {
        try
        {
            if (receiver.Mail is not null)
                await MailAsync(receiver, notification, stop);
            else
                await CallAsync(receiver, notification, now, stop);
            return null;
        }
        catch (Exception refused)
            when (refused
                    is HttpRequestException
                        or OperationCanceledException
                        or IOException
                        or System.Net.Sockets.SocketException
                        or MailKit.ProtocolException
                        or MailKit.CommandException
                        or AuthenticationException
                        or MailKit.ServiceNotConnectedException
                        or ParseException
                        or SslHandshakeException
            )
        {
            stop.ThrowIfCancellationRequested();
            return refused is OperationCanceledException
                ? $"no answer within {Longest.TotalSeconds:0} s"
                : refused.Message;
        }
    }

    /// <inheritdoc/>
    public void Dispose() => _http.Dispose();

    private async Task MailAsync(ReceiverRow receiver, NotificationRow notification, CancellationToken stop)
    {
        if (options.Mail is not { } mail)
            throw new IOException("the service was started without a mail server (mail-server)");
        using var message = MessageOf(notification, mail.From, receiver.Mail!);
        using var limit = CancellationTokenSource.CreateLinkedTokenSource(stop);
        limit.CancelAfter(Longest);
        using var client = new SmtpClient();
        await client.ConnectAsync(
            mail.Server.Host,
            mail.Server.Port,
            mail.Server.Scheme == "smtps"
                ? SecureSocketOptions.SslOnConnect
                : SecureSocketOptions.StartTlsWhenAvailable,
            limit.Token
        );
        if (mail.Account is { } account)
            await client.AuthenticateAsync(account, mail.Password ?? "", limit.Token);
        await client.SendAsync(message, limit.Token);
        await client.DisconnectAsync(quit: true, limit.Token);
    }

    private static MimeMessage MessageOf(NotificationRow notification, string from, string to)
    {
        var message = new MimeMessage
        {
            Subject = notification.Subject,
            Body = new TextPart("plain") { Text = notification.Text },
            Date = notification.At,
            MessageId = $"{Id(notification)}@furlough",
        };
        message.From.Add(MailboxAddress.Parse(from));
        message.To.Add(MailboxAddress.Parse(to));
        return message;
    }

    private async Task CallAsync(
        ReceiverRow receiver,
        NotificationRow notification,
        DateTimeOffset now,
        CancellationToken stop
    )
    {
        var body = JsonSerializer.SerializeToUtf8Bytes(
            new
            {
                specversion = "1.0",
                id = Id(notification),
                source = "furlough",
                type = $"furlough.{notification.Event.Word()}",
                time = notification.At,
                datacontenttype = "application/json",
                data = new { subject = notification.Subject, text = notification.Text },
            },
            JsonSerializerOptions.Web
        );
        var second = now.ToUnixTimeSeconds();
        var signed = HMACSHA256.HashData(
            Encoding.UTF8.GetBytes(secrets.Open(receiver)),
            (byte[])[.. Encoding.UTF8.GetBytes(FormattableString.Invariant($"{Id(notification)}.{second}.")), .. body]
        );
        using var request = new HttpRequestMessage(HttpMethod.Post, receiver.Call)
        {
            Content = new ByteArrayContent(body),
        };
        request.Content.Headers.ContentType = new MediaTypeHeaderValue("application/cloudevents+json")
        {
            CharSet = "utf-8",
        };
        request.Headers.Add("webhook-id", Id(notification));
        request.Headers.Add("webhook-timestamp", FormattableString.Invariant($"{second}"));
        request.Headers.Add("webhook-signature", $"v1,{Convert.ToBase64String(signed)}");
        // What is answered is nobody's business here: only its class is looked at, and its text is not read.
        using var answer = await _http.SendAsync(request, HttpCompletionOption.ResponseHeadersRead, stop);
        if (!answer.IsSuccessStatusCode)
            throw new IOException($"the address answered with {(int)answer.StatusCode / 100}xx");
    }

    /// <summary>The same for every attempt: anyone who receives it twice all the same can tell.</summary>
    private static string Id(NotificationRow notification) =>
        FormattableString.Invariant($"{notification.Receiver:n}-{notification.Entry}");
}
