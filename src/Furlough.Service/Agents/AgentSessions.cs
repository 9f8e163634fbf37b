using System.Collections.Concurrent;
using System.Globalization;
using System.Security.Cryptography;
using System.Text.Json;
using Furlough.Model;
using Furlough.Protocol;
using Furlough.Protocol.Api;
using Furlough.Service.Access;
using Furlough.Service.History;
using Furlough.Service.Relocations;
using Furlough.Service.Runs;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Agents;

/// <summary>Enrolment and sessions of agents. Sessions live in memory: after a restart agents open new ones.</summary>
public sealed class AgentSessions(Store store, DocketDesk desk, ReconcileDesk reconciling, TimeProvider time)
{
    private const int MostInstances = 8;
    private static readonly TimeSpan ChallengeValidity = TimeSpan.FromMinutes(2);
    private readonly byte[] _challengeKey = RandomNumberGenerator.GetBytes(32);

    /// <summary>
    /// Challenges that a machine has answered, until they expire: only anyone who has a machine's key adds to them.
    /// </summary>
    private readonly ConcurrentDictionary<string, DateTimeOffset> _answered = new();
    private readonly ConcurrentDictionary<string, Guid> _machines = new();
    private readonly ConcurrentDictionary<Guid, string> _tokens = new();

    /// <summary>The starts of each machine's agent that opened a session last, the present one at the end.</summary>
    private readonly ConcurrentDictionary<Guid, List<Guid>> _instances = new();

    /// <summary>A number to sign.</summary>
    public Challenge Challenge()
    {
        // Nothing is kept of it: anyone who asks for a million of them fills no memory.
        var body = string.Create(
            CultureInfo.InvariantCulture,
            $"{(time.GetUtcNow() + ChallengeValidity).ToUnixTimeSeconds()}.{Secrets.Make("")}"
        );
        return new Challenge($"{body}.{Seal(body)}");
    }

    private string Seal(string body) =>
        System.Buffers.Text.Base64Url.EncodeToString(
            HMACSHA256.HashData(_challengeKey, System.Text.Encoding.UTF8.GetBytes(body))
        );

    /// <summary>Whether a challenge is ours, has not expired and was not answered before.</summary>
    private bool Accepts(string nonce)
    {
        var now = time.GetUtcNow();
        if (
            nonce.LastIndexOf('.') is not (> 0 and var at)
            || !CryptographicOperations.FixedTimeEquals(
                System.Text.Encoding.UTF8.GetBytes(Seal(nonce[..at])),
                System.Text.Encoding.UTF8.GetBytes(nonce[(at + 1)..])
            )
        )
            return false;
        return long.TryParse(
                nonce.AsSpan(0, nonce.IndexOf('.')),
                NumberStyles.None,
                CultureInfo.InvariantCulture,
                out var until
            )
            && now.ToUnixTimeSeconds() <= until
            && !_answered.ContainsKey(nonce);
    }

    private bool Spend(string nonce)
    {
        var now = time.GetUtcNow();
        foreach (var (old, until) in _answered)
            if (until < now)
                _answered.TryRemove(old, out _);
        return _answered.TryAdd(nonce, now + ChallengeValidity * 2);
    }

    /// <summary>The machine of a session, or null.</summary>
    public Guid? MachineOf(string token) => _machines.TryGetValue(token, out var machine) ? machine : null;

    /// <summary>A machine is forgotten, and its session with it.</summary>
    public void Forget(Guid machine)
    {
        End(machine);
        _instances.TryRemove(machine, out _);
    }

    /// <summary>Takes a new machine in.</summary>
    public Task<EnrolResponse> EnrolAsync(EnrolRequest request, CancellationToken stop)
    {
        RequireVersion(request.Protocol);
        NewName.Require(request.Name, "A machine");
        NewName.Require(request.Room, "A room");
        return store.WriteAsync(
            async db =>
            {
                var hash = Secrets.Hash(request.Code.Split('.')[0]);
                var invite = await db.Invites.FirstOrDefaultAsync(i => i.Hash == hash, stop)
                    ?? throw new RefusedException(
                        RefusalKind.NotAllowed,
                        "invite-unknown",
                        "This invite is not known here.",
                        "Make one with `furlough machine invite`."
                    );
                // The answer to a first try may have been lost: the same key may ask again.
                if (await db.Machines.FirstOrDefaultAsync(m => m.PublicKey == request.PublicKey, stop) is { } already)
                    return Answer(already);
                if (invite.Expires < time.GetUtcNow())
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
                var named = await db.Machines.FirstOrDefaultAsync(m => m.Name == request.Name, stop);
                if (invite.Again is { } again)
                {
                    if (named is null || named.Name != again)
                        throw RefusedException.Conflict(
                            "invite-for-another",
                            $"This invite is for {again}, after it was reinstalled.",
                            $"Give --name {again}, or make another invite."
                        );
                    invite.Left--;
                    return await EnrolAgainAsync(db, named, request, stop);
                }
                if (named is not null)
                    throw RefusedException.Conflict(
                        "name-taken",
                        $"There is a machine called {request.Name} already.",
                        $"Give another --name; if that machine was reinstalled: `furlough machine invite --again {request.Name}`."
                    );
                invite.Left--;
                var machine = new MachineRow
                {
                    Id = Guid.CreateVersion7(),
                    Name = request.Name,
                    Room = invite.Room ?? request.Room,
                    PublicKey = request.PublicKey,
                    MachineId = request.MachineId,
                    EnrolledAt = time.GetUtcNow(),
                };
                // An image from which several were made: each has its own key, but nobody can tell by its id which is
                // which.
                if (
                    await db
                        .Machines.Where(m => m.MachineId == request.MachineId)
                        .Select(m => m.Name)
                        .FirstOrDefaultAsync(stop) is
                    { } same
                )
                    db.Record(
                        time.GetUtcNow(),
                        request.Name,
                        HistoryEvent.SameMachineId,
                        About.Machine(request.Name),
                        detail: same
                    );
                db.Machines.Add(machine);
                db.Record(
                    time.GetUtcNow(),
                    request.Name,
                    HistoryEvent.Enrolled,
                    About.Machine(request.Name),
                    detail: machine.Room
                );
                return Answer(machine);
            },
            stop
        );
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
            time.GetUtcNow()
        );
        foreach (
            var row in await db
                .Relocations.Where(r => r.Machine == machine.Id && RunControl.NotAtRest.Contains(r.State))
                .ToListAsync(stop)
        )
        {
            row.Ask(
                RelocationRequest.Lose,
                time.GetUtcNow(),
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
            time.GetUtcNow(),
            machine.Name,
            HistoryEvent.EnrolledAgain,
            About.Machine(machine.Name),
            detail: "reinstalled"
        );
        var id = machine.Id;
        db.Effects.Then(() => End(id));
        return Answer(machine);
    }

    /// <summary>Numbers go on where they were, no matter who counts.</summary>
    private EnrolResponse Answer(MachineRow machine) =>
        new(machine.Id, desk.PublicKey, machine.LastBulletin, machine.LastDocket);

    /// <summary>Opens a session; the one before ends.</summary>
    public async Task<SessionResponse> OpenAsync(SessionRequest request, CancellationToken stop)
    {
        var (proof, key) = await VerifyAsync(request.Proof, stop);
        RequireVersion(proof.Protocol);
        var isInTurn = !ComeInTurn(proof.Machine, proof.Instance);
        return await store.WriteAsync(
            async db =>
            {
                var machine = await db.Machines.FindAsync([proof.Machine], stop) ?? throw Refused();
                // Its machine may have been enrolled again meanwhile.
                if (machine.PublicKey != key)
                    throw Refused();
                if (machine.MachineId != proof.MachineId || !isInTurn)
                {
                    if (!machine.Suspect)
                        db.Record(
                            time.GetUtcNow(),
                            machine.Name,
                            HistoryEvent.SuspectedClone,
                            About.Machine(machine.Name)
                        );
                    machine.Suspect = true;
                }
                await reconciling.CountOnAsync(db, machine, proof, stop);
                var token = Secrets.Make("fls-");
                db.Effects.Then(() => Begin(proof.Machine, token));
                return new SessionResponse(token, machine.LastBulletin);
            },
            stop
        );
    }

    private void Begin(Guid machine, string token)
    {
        End(machine);
        _machines[token] = machine;
        _tokens[machine] = token;
    }

    private void End(Guid machine)
    {
        if (_tokens.TryRemove(machine, out var token))
            _machines.TryRemove(token, out _);
    }

    /// <summary>
    /// Whether an agent comes back after another one with the same key had taken its place: one that was started again
    /// never does.
    /// </summary>
    private bool ComeInTurn(Guid machine, Guid instance)
    {
        if (instance == Guid.Empty)
            return false;
        var seen = _instances.GetOrAdd(machine, _ => []);
        lock (seen)
        {
            if (seen is [.., var last] && last == instance)
                return false;
            var again = seen.Remove(instance);
            seen.Add(instance);
            if (seen.Count > MostInstances)
                seen.RemoveAt(0);
            return again;
        }
    }

    private static RefusedException Refused() =>
        new(
            RefusalKind.NotSignedIn,
            "session-refused",
            "The proof of identity is not valid.",
            "Enrol the machine again if this stays so."
        );

    private async Task<(SessionProof, string Key)> VerifyAsync(string message, CancellationToken stop)
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
        var key = await store.ReadAsync(
            db => db.Machines.Where(m => m.Id == claimed.Machine).Select(m => m.PublicKey).FirstOrDefaultAsync(stop),
            stop
        ) ?? throw Refused();
        try
        {
            Jws.Verify(key, MessageType.Session, message);
        }
        catch (SignatureException)
        {
            throw Refused();
        }
        return Spend(claimed.Nonce) ? (claimed, key) : throw Refused();
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
