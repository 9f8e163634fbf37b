using System.Collections.Concurrent;
using System.Globalization;
using System.Security.Cryptography;
using System.Text.Json;
using Furlough.Model;
using Furlough.Protocol;
using Furlough.Protocol.Api;
using Furlough.Service.Access;
using Furlough.Service.History;
using Furlough.Service.Machines;
using Furlough.Service.Relocations;
using Furlough.Service.Runs;
using Furlough.Service.Storage;
using Microsoft.AspNetCore.DataProtection;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Agents;

/// <summary>
/// Enrolment and sessions of agents. Sessions are stored and remembered; a service that begins ends them all, because its
/// data may have been put back from a backup: agents that open new ones say how far they have counted.
/// </summary>
public sealed class AgentSessions
{
    private const int MostStarts = 8,
        MostRemembered = 100_000;
    private static readonly TimeSpan ChallengeValidity = TimeSpan.FromMinutes(2);
    private readonly Store _store;
    private readonly DocketDesk _desk;
    private readonly ReconcileDesk _reconciling;
    private readonly Generations _generations;
    private readonly TimeProvider _time;
    private readonly IDataProtector _challenges;

    /// <summary>Machines by the hash of their token.</summary>
    private readonly ConcurrentDictionary<string, Guid> _machines = new();
    private int _changes;

    public AgentSessions(
        Store store,
        DocketDesk desk,
        ReconcileDesk reconciling,
        Generations generations,
        IDataProtectionProvider protection,
        TimeProvider time
    )
    {
        (_store, _desk, _reconciling, _generations, _time) = (store, desk, reconciling, generations, time);
        _challenges = protection.CreateProtector("agent-challenges");
        store.Stored += stored => ForgetChanged(stored);
    }

    /// <summary>A number to sign.</summary>
    public Challenge Challenge() =>
        // Nothing is kept of it: anyone who asks for a million of them fills no memory.
        new(
            _challenges.Protect(
                string.Create(
                    CultureInfo.InvariantCulture,
                    $"{(_time.GetUtcNow() + ChallengeValidity).ToUnixTimeSeconds()}.{Secrets.Make("")}"
                )
            )
        );

    /// <summary>Whether a challenge is ours and has not expired.</summary>
    private bool Accepts(string challenge)
    {
        try
        {
            var until = _challenges.Unprotect(challenge).Split('.')[0];
            return _time.GetUtcNow().ToUnixTimeSeconds() <= long.Parse(until, CultureInfo.InvariantCulture);
        }
        catch (CryptographicException)
        {
            return false;
        }
    }

    /// <summary>Refuses a challenge that was answered before. Only anyone who has a machine's key gets here.</summary>
    private async Task SpendAsync(FurloughDb db, string challenge, CancellationToken stop)
    {
        var now = _time.GetUtcNow();
        await db.AnsweredChallenges.Where(c => c.Until < now).ExecuteDeleteAsync(stop);
        var hash = Secrets.Hash(challenge);
        if (await db.AnsweredChallenges.AnyAsync(c => c.Challenge == hash, stop))
            throw Refused();
        db.AnsweredChallenges.Add(new AnsweredChallengeRow { Challenge = hash, Until = now + ChallengeValidity * 2 });
    }

    /// <summary>The machine of a session, or null.</summary>
    public async ValueTask<Guid?> MachineOfAsync(string token, CancellationToken stop)
    {
        var hash = Secrets.Hash(token);
        if (_machines.TryGetValue(hash, out var known))
            return known;
        var changes = Volatile.Read(ref _changes);
        var machine = await _store.ReadAsync(
            db => db.AgentSessions.Where(s => s.Token == hash).Select(s => (Guid?)s.Machine).FirstOrDefaultAsync(stop),
            stop
        );
        // A session that was read while sessions changed is not remembered.
        if (machine is { } found && changes == Volatile.Read(ref _changes) && _machines.Count < MostRemembered)
            _machines[hash] = found;
        return machine;
    }

    private void ForgetChanged(OutboxEntry stored)
    {
        if (stored.Sessions.Count == 0 && !stored.Missed)
            return;
        Interlocked.Increment(ref _changes);
        if (stored.Missed)
            _machines.Clear();
        var changed = stored.Sessions.ToHashSet();
        foreach (var (token, machine) in _machines)
            if (changed.Contains(machine))
                _machines.TryRemove(token, out _);
    }

    /// <summary>Every agent has to open a session again.</summary>
    public Task EndAllAsync(CancellationToken stop) =>
        _store.WriteAsync(
            db => db.AgentSessions.ExecuteUpdateAsync(set => set.SetProperty(s => s.Token, (string?)null), stop),
            stop
        );

    /// <summary>A machine is forgotten, and its session with it.</summary>
    internal static async Task ForgetAsync(FurloughDb db, Guid machine, CancellationToken stop)
    {
        await db.AgentSessions.Where(s => s.Machine == machine).ExecuteDeleteAsync(stop);
        db.Effects.ChangeSession(machine);
    }

    /// <summary>Takes a new machine in.</summary>
    /// <exception cref="RefusedException"><c>invite-for-another</c>, <c>name-taken</c></exception>
    public Task<EnrolResponse> EnrolAsync(EnrolRequest request, CancellationToken stop)
    {
        RequireVersion(request.Protocol);
        NewName.Require(request.Name, "A machine");
        NewName.Require(request.Room, "A room");
        return _store.WriteAsync(
            async db =>
            {
                var invite = await InviteAsync(db, request, stop);
                // The answer to a first try may have been lost: the same key may ask again.
                if (await db.Machines.FirstOrDefaultAsync(m => m.PublicKey == request.PublicKey, stop) is { } already)
                    return Answer(already);
                RequireUsable(invite);
                var named = await db.Machines.FirstOrDefaultAsync(m => m.Name == request.Name, stop);
                invite.Left--;
                if (invite.Again is { } again)
                    return named?.Name == again
                        ? await EnrolAgainAsync(db, named, request, stop)
                        : throw RefusedException.Conflict(
                            "invite-for-another",
                            $"This invite is for {again}, after it was reinstalled.",
                            $"Give --name {again}, or make another invite."
                        );
                if (named is not null)
                    throw RefusedException.Conflict(
                        "name-taken",
                        $"There is a machine called {request.Name} already.",
                        "Give another --name; if that machine was reinstalled: "
                            + $"`furlough machine invite --again {request.Name}`."
                    );
                return await EnrolNewAsync(db, Invites.RoomFor(invite, request.Name) ?? request.Room, request, stop);
            },
            stop
        );
    }

    private static async Task<InviteRow> InviteAsync(FurloughDb db, EnrolRequest request, CancellationToken stop)
    {
        var hash = Secrets.Hash(request.Code.Split('.')[0]);
        return await db.Invites.FirstOrDefaultAsync(i => i.Hash == hash, stop)
            ?? throw new RefusedException(
                RefusalKind.NotAllowed,
                "invite-unknown",
                "This invite is not known here.",
                "Make one with `furlough machine invite`."
            );
    }

    private void RequireUsable(InviteRow invite)
    {
        if (invite.Expires < _time.GetUtcNow())
            throw new RefusedException(
                RefusalKind.Gone,
                "invite-expired",
                $"This invite expired at {invite.Expires:u}.",
                "Make a new one with `furlough machine invite`."
            );
        if (invite.Left <= 0)
            throw new RefusedException(
                RefusalKind.Conflict,
                "invite-used",
                "This invite has been used already.",
                "Make a new one with `furlough machine invite`."
            );
    }

    private async Task<EnrolResponse> EnrolNewAsync(
        FurloughDb db,
        string room,
        EnrolRequest request,
        CancellationToken stop
    )
    {
        var now = _time.GetUtcNow();
        var machine = new MachineRow
        {
            Id = Guid.CreateVersion7(),
            Name = request.Name,
            Room = room,
            PublicKey = request.PublicKey,
            MachineId = request.MachineId,
            EnrolledAt = now,
        };
        // An image from which several were made: each has its own key, but nobody can tell by its id which is which.
        var same = await db
            .Machines.Where(m => m.MachineId == request.MachineId)
            .Select(m => m.Name)
            .FirstOrDefaultAsync(stop);
        var about = About.Machine(request.Name);
        if (same is not null)
            db.Record(now, request.Name, HistoryEvent.SameMachineId, about, detail: same);
        db.Machines.Add(machine);
        db.Record(now, request.Name, HistoryEvent.Enrolled, about, detail: room);
        return Answer(machine);
    }

    /// <summary>
    /// A machine whose system was reinstalled: its agent has another key and has forgotten everything. What was under
    /// way there is known no more.
    /// </summary>
    private async Task<EnrolResponse> EnrolAgainAsync(
        FurloughDb db,
        MachineRow machine,
        EnrolRequest request,
        CancellationToken stop
    )
    {
        machine.FormerKeys =
            machine.FormerKeys.Length == 0 ? machine.PublicKey : machine.FormerKeys + "\n" + machine.PublicKey;
        (machine.PublicKey, machine.MachineId, machine.Suspect, machine.EnrolledAt) = (
            request.PublicKey,
            request.MachineId,
            false,
            _time.GetUtcNow()
        );
        (machine.AwaitedBulletin, machine.UnknownAfter) = (0, null);
        foreach (
            var row in await db
                .Relocations.Where(r => r.Machine == machine.Id && RunControl.NotAtRest.Contains(r.State))
                .ToListAsync(stop)
        )
        {
            row.Ask(
                RelocationRequest.Lose,
                _time.GetUtcNow(),
                new Failure(
                    "machine-set-up-anew",
                    $"{machine.Name} was reinstalled while the relocation of "
                        + $"{HoldingName.InWords(row.Holding, row.Account)} was under way.",
                    "Where the data lives is not known; what was copied may stand at the target.",
                    "Survey the machine, then make a new plan with `existing: adopt`."
                )
            );
            row.Live = Live.Unknown;
        }
        db.Originals.RemoveRange(await db.Originals.Where(o => o.Machine == machine.Id).ToListAsync(stop));
        db.Record(
            _time.GetUtcNow(),
            machine.Name,
            HistoryEvent.EnrolledAgain,
            About.Machine(machine.Name),
            detail: "reinstalled"
        );
        (await SessionAsync(db, machine.Id, stop)).Token = null;
        return Answer(machine);
    }

    /// <summary>Numbers go on where they were, no matter who counts.</summary>
    private EnrolResponse Answer(MachineRow machine) =>
        new(machine.Id, _desk.PublicKey, machine.LastBulletin, machine.LastDocket);

    /// <summary>Opens a session; the one before ends.</summary>
    public async Task<SessionResponse> OpenAsync(SessionRequest request, CancellationToken stop)
    {
        var (proof, key, name) = await VerifyAsync(request.Proof, stop);
        RequireVersion(proof.Protocol);
        await _generations.HearAsync(name, proof.Generation, stop);
        return await _store.WriteAsync(
            async db =>
            {
                await SpendAsync(db, proof.Nonce, stop);
                var machine = await db.Machines.FindAsync([proof.Machine], stop) ?? throw Refused();
                // Its machine may have been enrolled again meanwhile.
                if (machine.PublicKey != key)
                    throw Refused();
                var session = await SessionAsync(db, machine.Id, stop);
                if (machine.MachineId != proof.MachineId || ComesBack(session, proof.Instance))
                {
                    if (!machine.Suspect)
                        db.Record(
                            _time.GetUtcNow(),
                            machine.Name,
                            HistoryEvent.SuspectedClone,
                            About.Machine(machine.Name)
                        );
                    machine.Suspect = true;
                }
                await _reconciling.CountOnAsync(db, machine, proof, stop);
                var token = Secrets.Make("fls-");
                session.Token = Secrets.Hash(token);
                return new SessionResponse(token, machine.LastBulletin)
                {
                    Generation = _generations.Signed,
                    UnknownAfter = machine.UnknownAfter,
                };
            },
            stop
        );
    }

    /// <summary>A machine's session, which is about to change.</summary>
    private static async Task<AgentSessionRow> SessionAsync(FurloughDb db, Guid machine, CancellationToken stop)
    {
        db.Effects.ChangeSession(machine);
        if (await db.AgentSessions.FindAsync([machine], stop) is not { } session)
            db.AgentSessions.Add(session = new AgentSessionRow { Machine = machine });
        return session;
    }

    /// <summary>
    /// Whether an agent comes back after another one with the same key had taken its place: one that was started again
    /// never does.
    /// </summary>
    private static bool ComesBack(AgentSessionRow session, Guid start)
    {
        List<string> starts = [.. session.Starts.Split('\n', StringSplitOptions.RemoveEmptyEntries)];
        if (start == Guid.Empty || starts.LastOrDefault() == $"{start}")
            return false;
        var again = starts.Remove($"{start}");
        session.Starts = string.Join('\n', starts.Append($"{start}").TakeLast(MostStarts));
        return again;
    }

    private static RefusedException Refused() =>
        new(
            RefusalKind.NotSignedIn,
            "session-refused",
            "The proof of identity is not valid.",
            "Enrol the machine again if this stays so."
        );

    private async Task<(SessionProof, string Key, string Name)> VerifyAsync(string message, CancellationToken stop)
    {
        SessionProof claimed;
        try
        {
            claimed = JsonSerializer.Deserialize(
                System.Buffers.Text.Base64Url.DecodeFromChars(message.Split('.') is [_, var body, _] ? body : ""),
                ProtocolJson.Default.SessionProof
            ) ?? throw Refused();
        }
        catch (Exception malformed) when (malformed is FormatException or JsonException)
        {
            throw Refused();
        }
        if (claimed.Nonce is null || !Accepts(claimed.Nonce))
            throw Refused();
        var known = await _store.ReadAsync(
            db =>
                db.Machines.Where(m => m.Id == claimed.Machine)
                    .Select(m => new { m.PublicKey, m.Name })
                    .FirstOrDefaultAsync(stop),
            stop
        ) ?? throw Refused();
        try
        {
            Jws.Verify(known.PublicKey, MessageType.Session, message);
        }
        catch (SignatureException)
        {
            throw Refused();
        }
        return (claimed, known.PublicKey, known.Name);
    }

    private static void RequireVersion(int version)
    {
        if (version is < ProtocolVersion.Oldest or > ProtocolVersion.Newest)
            throw new RefusedException(
                RefusalKind.Malformed,
                "protocol-unknown",
                $"Version {version} of the protocol is not supported.",
                "Update the agent or the service."
            );
    }
}
