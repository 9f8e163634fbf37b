using System.Text.Json;
using Furlough.Model;

namespace Furlough.Protocol;

/// <summary>Whether an agent may act on a docket.</summary>
public static class DocketCheck
{
    /// <summary>The docket of a signed message, checked for signature, machine and time.</summary>
    /// <param name="supersession">The highest supersession counter begun so far for a relocation, 0 for none.</param>
    /// <exception cref="SignatureException">It must not be carried out; the message says why.</exception>
    public static Docket Open(
        string serviceKey,
        string message,
        Guid machine,
        DateTimeOffset now,
        Func<long, int> supersession
    )
    {
        Docket docket;
        try
        {
            docket = JsonSerializer.Deserialize(
                Jws.Verify(serviceKey, MessageType.Docket, message),
                ModelJson.Default.Docket
            ) ?? throw new SignatureException("The docket is empty.");
        }
        catch (JsonException)
        {
            throw new SignatureException("The docket is not complete.");
        }
        if (docket.Machine != machine)
            throw new SignatureException("The docket is for another machine.");
        if (now >= docket.NotAfter)
            throw new SignatureException(
                $"The docket expired at {docket.NotAfter:u}, and this machine's clock says {now:u}.",
                docket
            );
        if (now < docket.NotBefore)
            throw new SignatureException(
                $"The docket is not valid before {docket.NotBefore:u}, and this machine's clock says {now:u}.",
                docket
            );
        if (docket.Supersession <= supersession(docket.Relocation))
            throw new SignatureException("The docket has been seen before, or a later one has.");
        return docket;
    }
}
