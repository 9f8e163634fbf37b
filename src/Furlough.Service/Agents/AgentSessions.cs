using System.Collections.Concurrent;
using System.Globalization;
using System.Text.Json;
using Furlough.Model;
using Furlough.Protocol;
using Furlough.Service.Access;
using Furlough.Service.Runs;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Agents;

/// <summary>Enrolment and sessions of agents. Sessions live in memory: after a restart agents open new ones.</summary>
public sealed class AgentSessions(Store store, DocketDesk desk, TimeProvider time)
{
    private static readonly TimeSpan ChallengeValidity = TimeSpan.FromMinutes(2);
    private readonly ConcurrentDictionary<string, DateTimeOffset> _challenges = new();
    private readonly ConcurrentDictionary<string, Guid> _machines = new();
    private readonly ConcurrentDictionary<Guid, string> _tokens = new();

    /// <summary>A number to sign.</summary>
    public Challenge Challenge()
    {
        var now = time.GetUtcNow();
        foreach (var (old, expires) in _challenges)
            if (expires < now) _challenges.TryRemove(old, out _);
        var nonce = Secrets.Make("");
        _challenges[nonce] = now + ChallengeValidity;
        return new Challenge(nonce);
    }

    /// <summary>The machine of a session, or null.</summary>
    public Guid? MachineOf(string token) => _machines.TryGetValue(token, out var machine) ? machine : null;

    /// <summary>Takes a new machine in.</summary>
    public Task<EnrolResponse> EnrolAsync(EnrolRequest request, CancellationToken stop)
    {
        RequireVersion(request.Protocol);
        if (!IsName(request.Name) || !IsName(request.Room))
            throw new ProblemException(400, "name-refused", "A machine's name and room have 1 to 100 characters that can be seen.", "Give --name and --room.");
        return store.WriteAsync(async db =>
        {
            var hash = Secrets.Hash(request.Code.Split('.')[0]);
            var invite = await db.Invites.FirstOrDefaultAsync(i => i.Hash == hash, stop)
                ?? throw new ProblemException(403, "invite-unknown", "This invite is not known here.", "Make one with `furlough machine invite`.");
            // The answer to a first try may have been lost: the same key may ask again.
            if (await db.Machines.FirstOrDefaultAsync(m => m.PublicKey == request.PublicKey, stop) is { } already) return Answer(already);
            if (invite.Expires < time.GetUtcNow()) throw new ProblemException(410, "invite-expired", $"This invite expired at {invite.Expires:u}.", "Make a new one with `furlough machine invite`.");
            if (invite.Left <= 0) throw new ProblemException(409, "invite-used", "This invite has been used already.", "Make a new one with `furlough machine invite`.");
            var named = await db.Machines.FirstOrDefaultAsync(m => m.Name == request.Name, stop);
            if (invite.Again is { } again)
            {
                if (named is null || named.Name != again) throw ProblemException.Conflict("invite-for-another", $"This invite is for {again}, set up anew.", $"Give --name {again}, or make another invite.");
                invite.Left--;
                return await EnrolAgainAsync(db, named, request, stop);
            }
            if (named is not null) throw ProblemException.Conflict("name-taken", $"There is a machine called {request.Name} already.", $"Give another --name; if it is that machine, set up anew: `furlough machine invite --again {request.Name}`.");
            invite.Left--;
            var machine = new MachineRow { Id = Guid.CreateVersion7(), Name = request.Name, Room = invite.Room ?? request.Room, PublicKey = request.PublicKey, MachineId = request.MachineId, EnrolledAt = time.GetUtcNow() };
            db.Machines.Add(machine);
            db.Record(time.GetUtcNow(), request.Name, "enrolled", request.Name, null, machine.Room);
            return Answer(machine);
        }, stop);
    }

    /// <summary>A machine whose system was set up anew: its agent has another key and has forgotten everything. What was under way there is known no more.</summary>
    private async Task<EnrolResponse> EnrolAgainAsync(FurloughDb db, MachineRow machine, EnrolRequest request, CancellationToken stop)
    {
        machine.FormerKeys = machine.FormerKeys.Length == 0 ? machine.PublicKey : machine.FormerKeys + "\n" + machine.PublicKey;
        (machine.PublicKey, machine.MachineId, machine.Suspect, machine.EnrolledAt) = (request.PublicKey, request.MachineId, false, time.GetUtcNow());
        foreach (var row in await db.Relocations.Where(r => r.Machine == machine.Id && RunControl.NotAtRest.Contains(r.State)).ToListAsync(stop))
        {
            (row.State, row.Live, row.AsOf) = (RelocationState.Failed, Live.Unknown, time.GetUtcNow());
            row.Failure = Column.Write(new Failure("machine-set-up-anew", $"{machine.Name} was set up anew while the relocation of {HoldingName.InWords(row.Holding, row.Account)} was under way.", "Where the data lives is not known; what was copied may stand at the target.",
                "Survey the machine, then make a new plan with `existing: adopt`."), ModelJson.Default.Failure);
        }
        db.Originals.RemoveRange(await db.Originals.Where(o => o.Machine == machine.Id).ToListAsync(stop));
        db.Record(time.GetUtcNow(), machine.Name, "enrolled again", machine.Name, null, "set up anew");
        if (_tokens.TryRemove(machine.Id, out var before)) _machines.TryRemove(before, out _);
        return Answer(machine);
    }

    /// <summary>Numbers go on where they were, whoever counts.</summary>
    private EnrolResponse Answer(MachineRow machine) => new(machine.Id, desk.PublicKey, machine.LastBulletin, machine.LastDocket);

    /// <summary>Opens a session; the one before ends.</summary>
    public Task<SessionResponse> OpenAsync(SessionRequest request, CancellationToken stop)
    {
        return store.WriteAsync(async db =>
        {
            var (machine, proof) = await VerifyAsync(db, request.Proof, stop);
            RequireVersion(proof.Protocol);
            if (machine.MachineId != proof.MachineId)
            {
                machine.Suspect = true;
                db.Record(time.GetUtcNow(), machine.Name, "suspected clone", machine.Name);
            }
            if (_tokens.TryRemove(machine.Id, out var before)) _machines.TryRemove(before, out _);
            var token = Secrets.Make("fls-");
            _machines[token] = machine.Id;
            _tokens[machine.Id] = token;
            return new SessionResponse(token, machine.LastBulletin);
        }, stop);
    }

    private async Task<(MachineRow, SessionProof)> VerifyAsync(FurloughDb db, string message, CancellationToken stop)
    {
        var refused = new ProblemException(401, "session-refused", "The proof of identity is not valid.", "Enrol the machine again if this stays so.");
        SessionProof claimed;
        try { claimed = JsonSerializer.Deserialize(System.Buffers.Text.Base64Url.DecodeFromChars(message.Split('.') is [_, var body, _] ? body : ""), ProtocolJson.Default.SessionProof) ?? throw refused; }
        catch (Exception malformed) when (malformed is FormatException or JsonException) { throw refused; }
        if (!_challenges.TryRemove(claimed.Nonce, out var expires) || expires < time.GetUtcNow()) throw refused;
        var machine = await db.Machines.FindAsync([claimed.Machine], stop) ?? throw refused;
        try { Jws.Verify(machine.PublicKey, MessageType.Session, message); }
        catch (SignatureException) { throw refused; }
        return (machine, claimed);
    }

    /// <summary>Shown as it is everywhere: nothing in it may turn the text around, or be there without being seen.</summary>
    private static bool IsName(string name) => name.Length is > 0 and <= 100 && name.Trim() == name && !name.Any(c => char.GetUnicodeCategory(c) is UnicodeCategory.Control or UnicodeCategory.Format or UnicodeCategory.Surrogate or UnicodeCategory.PrivateUse);

    private static void RequireVersion(int version)
    {
        if (version is < ProtocolVersion.Oldest or > ProtocolVersion.Newest)
            throw new ProblemException(400, "protocol-unknown", $"Version {version} of the protocol is not spoken here.", "Update the agent or the service.");
    }
}
