using System.Text.Json;
using Furlough.Protocol;
using Furlough.Protocol.Api;
using Furlough.Service.Access;
using Furlough.Service.Agents;
using Furlough.Service.Machines;
using Shouldly;
using Xunit;

namespace Furlough.Service.Tests;

/// <summary>Who is let in: agents by their keys, people by their tokens.</summary>
public sealed class SessionTests
{
    private static readonly Guid FirstStart = Guid.NewGuid(),
        SecondStart = Guid.NewGuid();

    [Fact]
    public async Task A_proof_is_taken_once_within_its_time_and_of_the_machines_own_key()
    {
        await using var office = await Office.OpenAsync();
        var (machine, key) = await EnrolAsync(office, "map-01");
        var challenge = Sessions(office).Challenge().Nonce;
        var session = await OpenAsync(office, machine, key, challenge);
        (await Sessions(office).MachineOfAsync(session.Token, Office.Stop)).ShouldBe(machine);
        await RefusedAsync(() => OpenAsync(office, machine, key, challenge), "it was answered");
        await RefusedAsync(() => OpenAsync(office, machine, SigningKey.Make()), "another key");
        await RefusedAsync(() => OpenAsync(office, Guid.NewGuid(), key), "another machine");
        await RefusedAsync(() => OpenAsync(office, machine, key, "1.made-up.seal"), "not ours");
        var late = Sessions(office).Challenge().Nonce;
        office.Clock.Advance(TimeSpan.FromMinutes(3));
        await RefusedAsync(() => OpenAsync(office, machine, key, late), "too late");
        (await Sessions(office).MachineOfAsync(session.Token, Office.Stop)).ShouldBe(machine, "the session goes on");
        var next = await OpenAsync(office, machine, key);
        (await Sessions(office).MachineOfAsync(session.Token, Office.Stop)).ShouldBeNull("the one before ends");
        (await Sessions(office).MachineOfAsync(next.Token, Office.Stop)).ShouldBe(machine);
    }

    [Fact]
    public async Task Two_agents_with_one_key_that_come_in_turn_are_a_clone_and_no_docket_goes_there()
    {
        await using var office = await Office.OpenAsync();
        var (machine, key) = await EnrolAsync(office, "map-01");
        await OpenAsync(office, machine, key, instance: FirstStart);
        await OpenAsync(office, machine, key, instance: FirstStart);
        await OpenAsync(office, machine, key, instance: SecondStart);
        (await office.HistoryAsync("suspected clone")).ShouldBeEmpty("an agent was started again");
        await OpenAsync(office, machine, key, instance: FirstStart);
        (await office.HistoryAsync("suspected clone")).Single().Subject.InWords().ShouldBe("map-01");
        await OpenAsync(office, machine, key, instance: SecondStart);
        (await office.HistoryAsync("suspected clone")).Count.ShouldBe(1, "it is told once");
    }

    [Fact]
    public async Task A_session_is_known_at_every_instance_and_ends_at_all_of_them()
    {
        await using var office = await Office.OpenAsync();
        await using var other = await office.BesideAsync();
        var (machine, key) = await EnrolAsync(office, "map-01");
        var challenge = Sessions(office).Challenge().Nonce;
        var session = await OpenAsync(other, machine, key, challenge, FirstStart);
        (await Sessions(office).MachineOfAsync(session.Token, Office.Stop)).ShouldBe(machine);
        await RefusedAsync(() => OpenAsync(office, machine, key, challenge), "it was answered at the other one");
        var next = await OpenAsync(other, machine, key, instance: SecondStart);
        (await Sessions(other).MachineOfAsync(session.Token, Office.Stop)).ShouldBeNull();
        await office.FollowAsync();
        (await Sessions(office).MachineOfAsync(session.Token, Office.Stop)).ShouldBeNull("the one before has ended");
        (await Sessions(office).MachineOfAsync(next.Token, Office.Stop)).ShouldBe(machine);
        await OpenAsync(office, machine, key, instance: FirstStart);
        (await office.HistoryAsync("suspected clone")).ShouldNotBeEmpty("it took its turn at the other one before");
        await office.Part<MachineDesk>().ForgetAsync(new ForgetRequest("map-01", true), "mara.ostby", Office.Stop);
        (await Sessions(office).MachineOfAsync(next.Token, Office.Stop)).ShouldBeNull();
    }

    [Fact]
    public async Task A_service_that_begins_alone_ends_all_sessions_so_that_agents_say_how_far_they_have_counted()
    {
        await using var office = await Office.OpenAsync();
        var (machine, key) = await EnrolAsync(office, "map-01");
        var session = await OpenAsync(office, machine, key);
        (await office.Part<Storage.Leases>().TakeAsync("work", TimeSpan.FromHours(1), Office.Stop)).ShouldNotBeNull();
        await using var restarted = await office.BesideAsync();
        await restarted.BeginAloneAsync();
        (await Sessions(restarted).MachineOfAsync(session.Token, Office.Stop)).ShouldBeNull();
        (
            await restarted.Part<Storage.Leases>().TakeAsync("work", TimeSpan.FromHours(1), Office.Stop)
        ).ShouldNotBeNull();
    }

    [Fact]
    public async Task The_key_of_a_machine_that_was_reinstalled_opens_nothing_any_more()
    {
        await using var office = await Office.OpenAsync();
        var (machine, former) = await EnrolAsync(office, "map-01");
        var session = await OpenAsync(office, machine, former);
        var (again, key) = await EnrolAsync(office, "map-01", again: true);
        again.ShouldBe(machine);
        (await Sessions(office).MachineOfAsync(session.Token, Office.Stop)).ShouldBeNull();
        await RefusedAsync(() => OpenAsync(office, machine, former), "the former key");
        await OpenAsync(office, machine, key, machineId: "map-01-anew");
    }

    [Fact]
    public async Task An_invite_is_for_so_many_machines_for_so_long_and_can_be_revoked()
    {
        await using var office = await Office.OpenAsync();
        var invites = office.Part<Invites>();
        var two = await invites.MakeAsync(new InviteRequest("Map Room", 2, 1), "mara.ostby", Office.Stop);
        await EnrolWithAsync(office, two.Code, "map-01");
        (await invites.ListAsync(Office.Stop)).Single().Left.ShouldBe(1);
        office.Clock.Advance(TimeSpan.FromMinutes(61));
        await Should.ThrowAsync<RefusedException>(() => EnrolWithAsync(office, two.Code, "map-02"));
        var other = await invites.MakeAsync(new InviteRequest("Map Room"), "mara.ostby", Office.Stop);
        await invites.RevokeAsync((await invites.ListAsync(Office.Stop)).Single().Id, "kit.sorrel", Office.Stop);
        await Should.ThrowAsync<RefusedException>(() => EnrolWithAsync(office, other.Code, "map-02"));
        await Should.ThrowAsync<RefusedException>(() => EnrolWithAsync(office, "made.up", "map-02"));
    }

    [Fact]
    public async Task A_token_ends_at_its_day_when_it_is_revoked_and_when_it_is_replaced()
    {
        await using var office = await Office.OpenAsync();
        var tokens = office.Part<Tokens>();
        var day = await tokens.MakeAsync(new TokenRequest("day", AccessLevel.Reader, 1), "steward", Office.Stop);
        (await tokens.FindAsync(day.Token, Office.Stop)).ShouldNotBeNull();
        office.Clock.Advance(TimeSpan.FromHours(25));
        (await tokens.FindAsync(day.Token, Office.Stop)).ShouldBeNull();
        var desk = await tokens.MakeAsync(
            new TokenRequest("desk", AccessLevel.Technician, null),
            "steward",
            Office.Stop
        );
        var row = (await tokens.FindAsync(desk.Token, Office.Stop)).ShouldNotBeNull();
        var session = Guid.NewGuid();
        (await tokens.StillValidAsync(row.Id, session, Office.Stop)).ShouldNotBeNull();
        await tokens.EndSessionAsync(session, Office.Stop);
        (await tokens.StillValidAsync(row.Id, session, Office.Stop)).ShouldBeNull("signed out");
        (await tokens.StillValidAsync(row.Id, Guid.NewGuid(), Office.Stop)).ShouldNotBeNull("another session");
        var anew = await tokens.ReplaceAsync("desk", "steward", Office.Stop);
        (await tokens.FindAsync(desk.Token, Office.Stop)).ShouldBeNull();
        (await tokens.StillValidAsync(row.Id, Guid.NewGuid(), Office.Stop)).ShouldBeNull("its sessions end with it");
        (await tokens.FindAsync(anew.Token, Office.Stop)).ShouldNotBeNull();
        await tokens.RevokeAsync("desk", "steward", Office.Stop);
        (await tokens.FindAsync(anew.Token, Office.Stop)).ShouldBeNull();
        (
            await Should.ThrowAsync<RefusedException>(() => tokens.RevokeAsync("steward", "steward", Office.Stop))
        ).Code.ShouldBe("last-steward");
    }

    private static AgentSessions Sessions(Office office) => office.Part<AgentSessions>();

    private static async Task RefusedAsync(Func<Task> open, string why)
    {
        var refused = await Should.ThrowAsync<RefusedException>(open, why);
        (refused.Kind, refused.Code).ShouldBe((RefusalKind.NotSignedIn, "session-refused"), why);
    }

    private static async Task<(Guid Machine, SigningKey Key)> EnrolAsync(Office office, string name, bool again = false)
    {
        var invite = await office
            .Part<Invites>()
            .MakeAsync(new InviteRequest(null, Again: again ? name : null), "mara.ostby", Office.Stop);
        return await EnrolWithAsync(office, invite.Code, name, again ? $"{name}-anew" : $"{name}-itself");
    }

    private static async Task<(Guid Machine, SigningKey Key)> EnrolWithAsync(
        Office office,
        string code,
        string name,
        string? machineId = null
    )
    {
        var key = SigningKey.Make();
        var answer = await Sessions(office)
            .EnrolAsync(
                new EnrolRequest(
                    code,
                    name,
                    "Map Room",
                    key.Public,
                    machineId ?? $"{name}-itself",
                    ProtocolVersion.Newest
                ),
                Office.Stop
            );
        return (answer.Machine, key);
    }

    private static Task<SessionResponse> OpenAsync(
        Office office,
        Guid machine,
        SigningKey key,
        string? challenge = null,
        Guid instance = default,
        string machineId = "map-01-itself"
    ) =>
        Sessions(office)
            .OpenAsync(
                new SessionRequest(
                    Jws.Sign(
                        key,
                        MessageType.Session,
                        JsonSerializer.SerializeToUtf8Bytes(
                            new SessionProof(
                                machine,
                                challenge ?? Sessions(office).Challenge().Nonce,
                                machineId,
                                ProtocolVersion.Newest,
                                0
                            )
                            {
                                Instance = instance,
                            },
                            ProtocolJson.Default.SessionProof
                        )
                    )
                ),
                Office.Stop
            );
}
