using System.IO.Enumeration;
using Furlough.Model;
using Furlough.Protocol.Api;
using Furlough.Service.Access;
using Furlough.Service.Agents;
using Furlough.Service.History;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Machines;

/// <summary>Invites with which agents introduce themselves: made, listed, revoked.</summary>
public sealed class Invites(Store store, DocketDesk desk, ServiceAddress address, TimeProvider time)
{
    private const int MostRules = 200;

    /// <summary>Makes an invite.</summary>
    /// <exception cref="RefusedException"><c>invite-refused</c></exception>
    public async Task<Invite> MakeAsync(InviteRequest request, string who, CancellationToken stop)
    {
        if (request.Machines is < 1 or > 10_000 || request.Hours is < 1 or > 24 * 90)
            throw new RefusedException(
                RefusalKind.Malformed,
                "invite-refused",
                "An invite is for 1 to 10,000 machines and for at most 90 days.",
                "Give other numbers."
            );
        var service = await address.Known.WaitAsync(stop);
        return await store.WriteAsync(
            db =>
            {
                if (request.Room is { } room)
                    NewName.Require(room, "A room");
                RequireRules(request);
                var secret = Secrets.Make("");
                var expires = time.GetUtcNow().AddHours(request.Hours);
                if (request.Again is { } again && !db.Machines.Any(m => m.Name == again))
                    throw Find.NoMachine(again);
                if (request is { Again: not null, Machines: not 1 })
                    throw new RefusedException(
                        RefusalKind.Malformed,
                        "invite-refused",
                        "An invite for a reinstalled machine is for that one machine.",
                        "Leave --machines out."
                    );
                db.Invites.Add(
                    new InviteRow
                    {
                        Id = Guid.CreateVersion7(),
                        Hash = Secrets.Hash(secret),
                        Room = request.Room,
                        Rules = request.Rules is { Count: > 0 } rules ? Column.WriteRules(rules) : null,
                        Again = request.Again,
                        Left = request.Machines,
                        Expires = expires,
                        MadeBy = who,
                    }
                );
                db.Record(
                    time.GetUtcNow(),
                    who,
                    HistoryEvent.InviteMade,
                    About.Invite(request.Again ?? request.Room ?? ""),
                    detail: Words.Count(request.Machines, "machine")
                );
                var code = $"{secret}.{desk.PublicKey}";
                return Task.FromResult(
                    new Invite(
                        code,
                        expires,
                        request.Machines,
                        request.Room,
                        InviteWays.Of(code, request.Room ?? request.Again ?? request.Rules?[0].Room, service)
                    )
                );
            },
            stop
        );
    }

    private static void RequireRules(InviteRequest request)
    {
        if (request.Rules is not { } rules)
            return;
        if (request.Room is not null || request.Again is not null || rules.Count is 0 or > MostRules)
            throw new RefusedException(
                RefusalKind.Malformed,
                "invite-refused",
                $"An invite has one room, or 1 to {MostRules} rules for rooms, or is for a reinstalled machine.",
                "Give one of them."
            );
        foreach (var rule in rules)
        {
            NewName.Require(rule.Room, "A room");
            NewName.Require(rule.Names.Replace('?', 'x'), "What stands for machines' names");
        }
    }

    /// <summary>The room of a new machine: the invite's, or by its rules; null where the machine has to say it.</summary>
    internal static string? RoomFor(InviteRow invite, string machine) =>
        invite.Room
        ?? (invite.Rules is null ? [] : Column.ReadRules(invite.Rules))
            .FirstOrDefault(r => FileSystemName.MatchesSimpleExpression(r.Names, machine))
            ?.Room;

    /// <summary>Those that may still be used.</summary>
    public Task<List<OpenInvite>> ListAsync(CancellationToken stop) =>
        store.ReadAsync(
            async db =>
            {
                var now = time.GetUtcNow();
                return (
                    await db.Invites.Where(i => i.Left > 0 && i.Expires > now).OrderBy(i => i.Expires).ToListAsync(stop)
                ).ConvertAll(i => new OpenInvite(
                    IdOf(i),
                    i.Room ?? (i.Rules is null ? null : "by rule"),
                    i.Again,
                    i.Left,
                    i.Expires,
                    i.MadeBy
                ));
            },
            stop
        );

    /// <summary>Nobody can use it any more; machines that have keep their places.</summary>
    /// <exception cref="RefusedException"/>
    public Task RevokeAsync(string id, string who, CancellationToken stop) =>
        store.WriteAsync(
            async db =>
            {
                var row = (await db.Invites.Where(i => i.Left > 0).ToListAsync(stop)).FirstOrDefault(i => IdOf(i) == id)
                    ?? throw RefusedException.Missing(
                        $"invite {(id.Length > 20 ? id[..20] : id)}",
                        "See `furlough machine invites`."
                    );
                row.Left = 0;
                db.Record(
                    time.GetUtcNow(),
                    who,
                    HistoryEvent.InviteRevoked,
                    About.Invite(row.Again ?? row.Room ?? ""),
                    detail: id
                );
                return row.Left;
            },
            stop
        );

    /// <summary>The end of its identity: short, and no two that are open have the same.</summary>
    private static string IdOf(InviteRow row) => row.Id.ToString("N")[^8..];
}
