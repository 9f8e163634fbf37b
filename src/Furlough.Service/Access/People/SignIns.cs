using System.Collections.Concurrent;
using System.Security.Cryptography;
using Furlough.Model;
using Furlough.Protocol.Api;
using Furlough.Service.History;
using Furlough.Service.Storage;
using Microsoft.AspNetCore.DataProtection;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Access.People;

/// <summary>
/// People who signed in with the office's provider. Each sign-in is a token of its own that ends after hours; whether its
/// person still has the access level is asked again every few minutes while it is used.
/// </summary>
public sealed class SignIns(
    ServiceOptions options,
    ProviderCalls calls,
    Store store,
    IDataProtectionProvider protection,
    TimeProvider time,
    ILogger<SignIns> log
)
{
    private static readonly TimeSpan Longest = TimeSpan.FromHours(12),
        AskedAgainAfter = TimeSpan.FromMinutes(5),
        // Below that, so that a level is gone within it although the asking takes a while.
        Slack = TimeSpan.FromSeconds(20),
        TriedAgainAfter = TimeSpan.FromSeconds(30);
    private readonly IDataProtector _secrets = protection.CreateProtector("sign-ins");
    private readonly ConcurrentDictionary<Guid, Lazy<Task<TokenRow?>>> _asking = new();
    private readonly ConcurrentDictionary<Guid, DateTimeOffset> _away = new();

    /// <summary>The name of the provider; null where there is none.</summary>
    public string? Provider => options.Provider?.Name;

    /// <summary>Takes a person in whom the provider has recognised.</summary>
    /// <returns>The token's row, and its secret for anyone who has no console.</returns>
    /// <exception cref="RefusedException"><c>no-level</c>, <c>name-refused</c></exception>
    public async Task<(TokenRow Row, string Secret)> TakeAsync(Grant grant, CancellationToken stop)
    {
        var name = NewName.Require(NewName.Fitting(grant.Person.Name), "A person");
        var level = calls.Provider.LevelOf(grant.Person.Groups) ?? throw WithoutLevel(name);
        var (now, secret) = (time.GetUtcNow(), Secrets.Make("flp-"));
        var row = new TokenRow
        {
            Id = Guid.CreateVersion7(),
            Name = name,
            Level = level,
            Hash = Secrets.Hash(secret),
            // Nobody could ask whether the level is still theirs.
            Expires = now + (grant.Refresh is null ? AskedAgainAfter : Longest),
            MadeBy = calls.Provider.Name,
            MadeAt = now,
            Subject = grant.Person.Subject,
            Refresh = grant.Refresh is { } refresh ? _secrets.Protect(refresh) : null,
            CheckedAt = now,
        };
        await store.WriteAsync(
            async db =>
            {
                var old = await db.Tokens.Where(t => t.Subject != null).ToListAsync(stop);
                db.Tokens.RemoveRange(old.Where(t => !t.IsValid(now)));
                db.Tokens.Add(row);
                return 0;
            },
            stop
        );
        return (row, secret);
    }

    private static RefusedException WithoutLevel(string name) =>
        new(
            RefusalKind.NotAllowed,
            "no-level",
            $"{name} is known, but none of their groups has an access level here.",
            "Ask a steward: the setting `sign-in-levels` says which groups have one."
        );

    /// <summary>
    /// The token as it is now: where its person signed in with the provider, that is asked again when it was last asked
    /// minutes ago. While it is away, things stay as they are. Null where the person has no access any more.
    /// </summary>
    internal Task<TokenRow?> CheckedAsync(TokenRow row, CancellationToken stop)
    {
        var now = time.GetUtcNow();
        // Another provider, or none, stands in the settings since.
        if (row.Subject is not null && row.MadeBy != Provider)
            return Task.FromResult<TokenRow?>(null);
        if (
            row.Refresh is null
            || now - row.CheckedAt < AskedAgainAfter - Slack
            || (_away.TryGetValue(row.Id, out var tried) && now - tried < TriedAgainAfter)
        )
            return Task.FromResult<TokenRow?>(row);
        // Once for all calls that come meanwhile: what the provider gives to ask with may be good for one time.
        var asking = _asking.GetOrAdd(row.Id, _ => new Lazy<Task<TokenRow?>>(() => AskAsync(row)));
        return asking.Value.WaitAsync(stop);
    }

    private async Task<TokenRow?> AskAsync(TokenRow row)
    {
        try
        {
            var grant = await calls.GrantAsync(
                new Dictionary<string, string>
                {
                    ["grant_type"] = "refresh_token",
                    ["refresh_token"] = _secrets.Unprotect(row.Refresh!),
                },
                CancellationToken.None
            );
            _away.TryRemove(row.Id, out _);
            return grant.Person.Subject != row.Subject ? await EndAsync(row, "the provider told of another person")
                : calls.Provider.LevelOf(grant.Person.Groups) is { } level ? await KeepAsync(row, level, grant.Refresh)
                : await EndAsync(row, "none of their groups has an access level any more");
        }
        catch (NotGrantedException refused) when (refused.Error is "invalid_grant" or "invalid_token")
        {
            return await EndAsync(row, "the provider has ended it");
        }
        catch (CryptographicException)
        {
            return await EndAsync(row, "the service's keys were replaced");
        }
        catch (Exception away) when (away is NotGrantedException or ProviderAwayException)
        {
            log.LogWarning("{Provider} was not asked about {Person}: {Why}", Provider, row.Name, away.Message);
            _away[row.Id] = time.GetUtcNow();
            return row;
        }
        finally
        {
            _asking.TryRemove(row.Id, out _);
        }
    }

    private Task<TokenRow?> KeepAsync(TokenRow seen, AccessLevel level, string? refresh) =>
        ChangeAsync(seen, (db, row) =>
        {
            if (row.Level != level)
                db.Record(
                    time.GetUtcNow(),
                    NewName.OfService,
                    HistoryEvent.LevelChanged,
                    About.Token(row.Name),
                    row.Level.Word(),
                    level.Word(),
                    $"by their groups at {row.MadeBy}"
                );
            (row.Level, row.CheckedAt) = (level, time.GetUtcNow());
            if (refresh is not null)
                row.Refresh = _secrets.Protect(refresh);
            return row;
        });

    private Task<TokenRow?> EndAsync(TokenRow seen, string why) => ChangeAsync(seen, (db, row) =>
        {
            row.RevokedAt = time.GetUtcNow();
            db.Record(
                time.GetUtcNow(),
                NewName.OfService,
                HistoryEvent.TokenRevoked,
                About.Token(row.Name),
                detail: why
            );
            return null;
        });

    private Task<TokenRow?> ChangeAsync(TokenRow seen, Func<FurloughDb, TokenRow, TokenRow?> change) =>
        store.WriteAsync(
            async db =>
                await db.Tokens.FindAsync(seen.Id) is { } row && row.IsValid(time.GetUtcNow()) ? change(db, row) : null,
            CancellationToken.None
        );
}
