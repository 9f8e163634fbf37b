using System.Security.Cryptography;
using Furlough.Service.Access;
using Furlough.Service.Storage;
using Microsoft.AspNetCore.DataProtection;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Notifications;

/// <summary>
/// The secrets with which web calls are signed. Stored sealed, by keys that lie beside the database and not in it:
/// anyone who gets hold of the database alone can sign nothing.
/// </summary>
public sealed class CallSecrets(IDataProtectionProvider keys)
{
    private const string Prefix = "flw-";
    private readonly IDataProtector _seal = keys.CreateProtector("web calls");

    /// <summary>A new secret, and what is stored of it.</summary>
    public (string Secret, string Sealed) Make()
    {
        var secret = Secrets.Make(Prefix);
        return (secret, _seal.Protect(secret));
    }

    /// <summary>The secret of a receiver.</summary>
    /// <exception cref="IOException">The key that sealed it is gone.</exception>
    public string Open(ReceiverRow receiver)
    {
        try
        {
            return _seal.Unprotect(receiver.Secret);
        }
        catch (CryptographicException)
        {
            throw new IOException(
                $"the secret of {receiver.Name} cannot be read: the folder session-keys does not belong to this "
                    + "database; remove the receiver and add it again"
            );
        }
    }

    /// <summary>Seals what versions before kept as it was.</summary>
    public Task SealAllAsync(Store store, CancellationToken stop) =>
        store.WriteAsync(
            async db =>
            {
                foreach (var row in await db.Receivers.Where(r => r.Secret.StartsWith(Prefix)).ToListAsync(stop))
                    row.Secret = _seal.Protect(row.Secret);
                return 0;
            },
            stop
        );
}
