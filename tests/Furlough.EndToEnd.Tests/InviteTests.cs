using Furlough.Contracts;
using Furlough.Protocol;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>Invites: listed without their codes, revoked, and never to be read off a list of processes.</summary>
public sealed class InviteTests : IDisposable
{
    private readonly Field _field = new();

    public InviteTests() => _field.StartService();

    public void Dispose() => _field.Dispose();

    [Fact]
    public async Task A_copy_of_a_machine_with_its_key_and_its_id_is_noticed_and_a_restart_is_none()
    {
        using var machine = new MadeUpMachine(_field, "map-01");
        machine.Survey(MadeUpSurvey.Usual());
        machine.Open(new AgentClient(machine.Http));
        var now = new AgentClient(machine.Http);
        machine.Open(now);
        machine.Open(now);
        _field
            .Run("history", "list")
            .Out.ShouldNotContain("suspected clone", Case.Sensitive, "its agent was started three times");
        machine.Open(machine.Client);
        _field.Run("history", "list").Out.ShouldContain("suspected clone");
        _field
            .Run("machine", "show", "map-01")
            .ShouldSatisfyAllConditions(o => o.Out.ShouldContain("furlough machine invite --again map-01"));

        using var twin = new HttpClient { BaseAddress = new Uri(_field.Address + "/") };
        await new AgentClient(twin).EnrolAsync(
            new EnrolRequest(
                _field.Invite(),
                "map-02",
                "Map Room",
                SigningKey.Make().Public,
                "map-01-itself",
                ProtocolVersion.Newest
            ),
            CancellationToken.None
        );
        _field.Run("history", "list").Out.ShouldContain("same machine id");
    }

    [Fact]
    public async Task Rules_put_machines_into_rooms_by_their_names()
    {
        var code = _field
            .Run(
                "machine",
                "invite",
                "--machines",
                "9",
                "--room-rule",
                "herb-*=Herbarium",
                "--room-rule",
                "map-0?=Map Room",
                "--json"
            )
            .Json.GetProperty("code")
            .GetString()!;
        using var http = new HttpClient { BaseAddress = new Uri(_field.Address + "/") };
        foreach (var name in (string[])["herb-03", "map-01", "map-011", "HERB-04"])
            await new AgentClient(http).EnrolAsync(
                new EnrolRequest(code, name, "Somewhere", SigningKey.Make().Public, name, ProtocolVersion.Newest),
                CancellationToken.None
            );
        _field
            .Ask("machines")
            .EnumerateArray()
            .ToDictionary(m => m.GetProperty("name").GetString()!, m => m.GetProperty("room").GetString())
            .ShouldBe(
                new Dictionary<string, string?>
                {
                    ["HERB-04"] = "Herbarium",
                    ["herb-03"] = "Herbarium",
                    ["map-01"] = "Map Room",
                    ["map-011"] = "Somewhere",
                },
                ignoreOrder: true
            );
        _field.Run("machine", "invites").Out.ShouldContain("by rule");
        _field
            .Run("machine", "invite", "--room-rule", "herb-*")
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(2), o => o.Error.ShouldContain("Expected NAMES=ROOM"));
        _field
            .Run("machine", "invite", "--room", "Map Room", "--room-rule", "herb-*=Herbarium")
            .Error.ShouldContain("one room, or 1 to 200 rules");
        _field.Run("machine", "invite", "--room-rule", "herb-*=furlough").Error.ShouldContain("A room needs a name");
    }

    [Fact]
    public async Task An_invite_is_listed_without_its_code_and_opens_nothing_once_it_is_revoked()
    {
        var code = _field
            .Run("machine", "invite", "--machines", "3", "--room", "Map Room", "--json")
            .Json.GetProperty("code")
            .GetString()!;
        var listed = _field.Run("machine", "invites");
        listed.Out.ShouldSatisfyAllConditions(
            o => o.ShouldContain("Map Room"),
            o => o.ShouldContain("steward"),
            o => o.ShouldNotContain(code.Split('.')[0])
        );
        await EnrolAsync(code, "map-01");
        var open = _field.Run("machine", "invites", "--json").Json.EnumerateArray().Single();
        open.GetProperty("left").GetInt32().ShouldBe(2);
        var reader = _field.Run("access", "add", "looks on", "--level", "reader").Out.Trim();
        _field.RunAs(reader, "machine", "invites").Code.ShouldBe(5);

        _field
            .Run("machine", "uninvite", "00000000")
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(2),
                o => o.Error.ShouldContain("furlough machine invites")
            );
        _field.Run("machine", "uninvite", open.GetProperty("id").GetString()!).Code.ShouldBe(0);
        _field.Run("machine", "invites", "--json").Json.GetArrayLength().ShouldBe(0);
        (await Should.ThrowAsync<ServiceException>(() => EnrolAsync(code, "map-02"))).Code.ShouldBe("invite-used");
        _field.Run("history", "list", "--about", "invite revoked").Out.ShouldContain("steward");
    }

    [Fact]
    public void The_commands_for_machines_are_printed_and_none_of_them_is_given_the_code_itself()
    {
        _field
            .Run("machine", "invite")
            .Out.ShouldSatisfyAllConditions(
                o => o.ShouldMatch("(?m)^  msiexec /qn /i .*SERVICE=http://127.0.0.1:.* CODEFILE=FILE ROOM=\"ROOM\"$"),
                o =>
                    o.ShouldMatch("(?m)^  furlough-agent --service http://127.0.0.1:.* --room \"ROOM\" --code-file -$"),
                o => o.ShouldContain("  apt-get install -y ./furlough-agent_"),
                o => o.ShouldNotContain("--code ")
            );
        _field.Run("machine", "invite", "--room", "Wet Lab").Out.ShouldNotContain("ROOM");
        _field
            .RunAgent("--service", _field.Address, "--root", _field.Folder, "--code", "x")
            .ShouldSatisfyAllConditions(o => o.Code.ShouldNotBe(0), o => o.Error.ShouldContain("--code"));
    }

    private async Task EnrolAsync(string code, string name)
    {
        using var http = new HttpClient { BaseAddress = new Uri(_field.Address + "/") };
        await new AgentClient(http).EnrolAsync(
            new EnrolRequest(code, name, "Any", SigningKey.Make().Public, name, ProtocolVersion.Newest),
            CancellationToken.None
        );
    }
}
