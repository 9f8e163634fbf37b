using Furlough.Contracts;
using Furlough.Model;
using Furlough.Protocol;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>
/// Runs and relocations of a machine that does not answer: nothing waits for it for ever, and nothing is said that
/// nobody knows. The machine is one that the test itself speaks for.
/// </summary>
public sealed class SilentMachineTests : IDisposable
{
    private const string Brief = """
        furlough-brief: 1
        title: Off the system volume
        machines: all
        volumes:
          data: {system: false, attached: internal}
        relocate:
          - folders: [Documents, Pictures]
            onto: data
            path: People/{account}/{folder}
        keep-original: 30 days
        """;

    private readonly Field _field = new();
    private readonly MadeUpMachine _machine;

    private AgentClient Agent => _machine.Client;

    private string Session => _machine.Session;

    public SilentMachineTests()
    {
        _field.StartService();
        _machine = new MadeUpMachine(_field, "map-01");
        _machine.Survey(MadeUpSurvey.Usual());
        var plan = _field.Run("plan", "make", _field.WriteBrief(Brief), "--json").Json;
        var number = plan.GetProperty("number").ToString();
        foreach (var hazard in plan.GetProperty("consentsWanted").EnumerateArray().Select(c => c.GetString()!))
            _field.Run("plan", "consent", number, "--hazard", hazard, "--reason", "made up").Code.ShouldBe(0);
        _field.Run("run", "start", "--plan", number).ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
    }

    public void Dispose()
    {
        _machine.Dispose();
        _field.Dispose();
    }

    [Fact]
    public void What_no_machine_has_fetched_is_skipped_or_backed_out_at_once_and_never_handed_out()
    {
        _field
            .Run("relocation", "skip", "1", "--reason", "she left")
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(0, o.ToString()),
                o => o.Out.ShouldContain("was skipped by steward: she left"),
                o => o.Out.ShouldContain("Nothing has changed")
            );
        _field
            .Run("relocation", "back-out", "2")
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(0, o.ToString()),
                o => o.Out.ShouldContain("before its machine had fetched the docket")
            );
        _field.Run("run", "follow", "1").Out.ShouldContain("1 backed-out, 1 skipped");
        Batch().Dockets.ShouldBeEmpty();
        _field.Run("relocation", "retry", "2").Code.ShouldBe(0);
        Batch().Dockets.Count.ShouldBe(1);
    }

    [Fact]
    public async Task What_a_machine_may_have_fetched_is_called_back_and_undone_when_it_is_heard_of()
    {
        var dockets = Batch().Dockets.Select(d => Read(d.Docket)).ToList();
        dockets.Count.ShouldBe(2);
        _field
            .Run("relocation", "skip", "1", "--reason", "she left")
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(0, o.ToString()),
                o => o.Out.ShouldContain("may have reached the machine and was called back")
            );
        State(1).ShouldBe("skipped");
        Batch()
            .ShouldSatisfyAllConditions(
                b => b.Dockets.Count.ShouldBe(1),
                b => b.Wishes.All.ShouldContain(new DocketWish(dockets[0].Id, Wish.BackOut))
            );
        (
            await Should.ThrowAsync<ServiceException>(() =>
                Agent.PermitAsync(Session, dockets[0].Id, false, CancellationToken.None)
            )
        ).Code.ShouldBe("permit-refused");

        // It had begun before it heard that; what it says is shown, and what was decided stands when it has undone it.
        Say(1, dockets[0], RelocationState.UnderWay, Live.Source);
        State(1).ShouldBe("under-way");
        Say(2, dockets[0], RelocationState.BackedOut, Live.Source);
        State(1).ShouldBe("skipped");

        // One that had switched before it arrived again has switched.
        _field.Run("relocation", "skip", "2", "--reason", "she left").Code.ShouldBe(0);
        Say(3, dockets[1], RelocationState.UnderWay, Live.Source);
        Say(4, dockets[1], RelocationState.Switched, Live.Target);
        State(2).ShouldBe("switched");
    }

    [Fact]
    public async Task What_a_machine_makes_up_is_not_taken_over()
    {
        var real = Batch().Dockets[0].Docket;
        var docket = Read(real);
        var madeUp = Jws.Sign(
            SigningKey.Make(),
            MessageType.Docket,
            System.Text.Json.JsonSerializer.SerializeToUtf8Bytes(
                docket with
                {
                    Id = Guid.NewGuid(),
                },
                ModelJson.Default.Docket
            )
        );
        await Agent.KnownDocketsAsync(Session, [madeUp, "x.y.z", "", real], all: false, CancellationToken.None);
        _field.Run("relocation", "list", "--json").Json.GetArrayLength().ShouldBe(2);
        (
            await Should.ThrowAsync<ServiceException>(() =>
                Agent.KnownDocketsAsync(Session, [.. Enumerable.Repeat("x", 51)], all: false, CancellationToken.None)
            )
        ).Code.ShouldBe("out-of-bounds");

        // What it tells of a docket that nobody knows is written down and changes nothing.
        var bulletin = new Bulletin(
            1,
            TimeProvider.System.GetUtcNow(),
            Guid.NewGuid(),
            1,
            RelocationState.Switched,
            null,
            Live.Target,
            null,
            [],
            null,
            []
        );
        (
            await Agent.BulletinsAsync(Session, [bulletin], hasMore: true, CancellationToken.None)
        ).ShouldSatisfyAllConditions(r => r.Acknowledged.ShouldBe(0), r => r.Wanted.ShouldBe(bulletin.Docket));
        (await Agent.BulletinsAsync(Session, [bulletin], hasMore: false, CancellationToken.None)).Acknowledged.ShouldBe(
            1
        );
        State(1).ShouldBe("queued");
    }

    [Fact]
    public void A_run_says_whom_it_waits_for_and_a_halted_one_ends()
    {
        var docket = Read(Batch().Dockets[0].Docket);
        Say(1, docket, RelocationState.UnderWay, Live.Source);
        _field.Run("run", "show", "1").Out.ShouldNotContain("map-01, silent");
        _field.Time.Advance(TimeSpan.FromSeconds(90));
        _field
            .Run("run", "show", "1")
            .ShouldSatisfyAllConditions(
                o => o.Out.ShouldContain("The run ends when these are over: 2 relocations on map-01, silent for "),
                o => o.Out.ShouldContain("To go on without: `furlough relocation skip 2 --reason TEXT`.")
            );
        _field
            .Run("relocation", "back-out", "1")
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(0, o.ToString()),
                o => o.Out.ShouldContain("map-01 is silent since "),
                o => o.Out.ShouldContain("it is not known where the data lives")
            );
        _field.Run("run", "halt", "1").Out.ShouldContain("Run 1 is ended");
        _field
            .Run("run", "follow", "1")
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(1, o.ToString()),
                o => o.Out.ShouldContain("The run has ended; 1 relocation on map-01, silent for ")
            );
        State(2).ShouldBe("refused");

        Say(2, docket, RelocationState.Switched, Live.Target);
        State(1).ShouldBe("switched");
        _field.Run("run", "show", "1").Out.ShouldNotContain("silent for");
    }

    private static T Do<T>(Task<T> call) => call.GetAwaiter().GetResult();

    private DocketBatch Batch() =>
        Do(Agent.DocketsAsync(Session, 0, Wishes.None, "", TimeSpan.Zero, null, CancellationToken.None));

    private static Docket Read(string signed) =>
        System.Text.Json.JsonSerializer.Deserialize(
            System.Buffers.Text.Base64Url.DecodeFromChars(signed.Split('.')[1]),
            ModelJson.Default.Docket
        )!;

    private void Say(long number, Docket docket, RelocationState state, Live live) =>
        Do(
            Agent.BulletinsAsync(
                Session,
                [
                    new Bulletin(
                        number,
                        TimeProvider.System.GetUtcNow(),
                        docket.Id,
                        docket.Relocation,
                        state,
                        null,
                        live,
                        null,
                        [],
                        null,
                        []
                    ),
                ],
                false,
                CancellationToken.None
            )
        )
            .Acknowledged.ShouldBe(number);

    private string State(int relocation) => _field.Ask($"relocations/{relocation}").GetProperty("state").GetString()!;
}
