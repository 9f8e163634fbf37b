using Furlough.Model;
using Furlough.Protocol;
using Furlough.Protocol.Api;
using Furlough.Service.History;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Access;

/// <summary>The first steward's token: it stands in a file of the data folder, for whoever may read that.</summary>
public sealed class StewardToken(Store store, ServiceOptions options, TimeProvider time)
{
    /// <summary>File in the data folder.</summary>
    public const string FileName = "steward-token";

    /// <summary>Whose it is.</summary>
    private const string Name = "steward";

    private string File => Path.Combine(options.Data, FileName);

    /// <summary>Makes it where nobody has any token yet.</summary>
    internal async Task MakeFirstAsync(CancellationToken stop)
    {
        if (await store.ReadAsync(db => db.Tokens.AnyAsync(stop), stop))
            return;
        var secret = Secrets.Make("flt-");
        PrivateFile.Write(File, secret + "\n");
        await store.WriteAsync(
            db =>
            {
                db.Tokens.Add(Row(secret));
                db.Record(time.GetUtcNow(), NewName.OfService, HistoryEvent.TokenMade, About.Token(Name));
                return Task.FromResult(0);
            },
            stop
        );
    }

    /// <summary>
    /// Makes it again, for the day on which nobody has one any more; returns the file that holds it.
    /// </summary>
    internal async Task<string> ReplaceAsync(CancellationToken stop)
    {
        var secret = Secrets.Make("flt-");
        PrivateFile.Write(File, secret + "\n");
        await store.WriteAsync(
            async db =>
            {
                db.Tokens.RemoveRange(await db.Tokens.Where(t => t.Name == Name).ToListAsync(stop));
                var row = Row(secret);
                (row.MadeAt, row.MadeBy) = (time.GetUtcNow(), NewName.OfService);
                db.Tokens.Add(row);
                db.Record(
                    time.GetUtcNow(),
                    NewName.OfService,
                    HistoryEvent.TokenReplaced,
                    About.Token(Name),
                    detail: "at the server"
                );
                return 0;
            },
            stop
        );
        return File;
    }

    private static TokenRow Row(string secret) =>
        new()
        {
            Id = Guid.CreateVersion7(),
            Name = Name,
            Level = AccessLevel.Steward,
            Hash = Secrets.Hash(secret),
        };
}
