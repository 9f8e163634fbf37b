using System.Text.Json;
using Furlough.Contracts;
using Furlough.Model;
using Furlough.Protocol;
using Furlough.Protocol.Api;
using Furlough.Service.Access;
using Furlough.Service.Agents;
using Furlough.Service.Backups;
using Furlough.Service.History;
using Furlough.Service.LiveEvents;
using Furlough.Service.Machines;
using Furlough.Service.Plans;
using Furlough.Service.Relocations;
using Furlough.Service.Runs;
using Furlough.Service.Storage;
using Microsoft.Data.Sqlite;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.DependencyInjection;
using Microsoft.Extensions.Time.Testing;
using Xunit;

namespace Furlough.Service.Tests;

/// <summary>
/// The service's parts without HTTP, in a data folder of their own, at a clock that only the test moves. The test
/// speaks for the machines and for the people.
/// </summary>
internal sealed class Office : IAsyncDisposable
{
    private readonly ServiceProvider _parts;

    private Office(string data, ServiceProvider parts) => (Data, _parts) = (data, parts);

    internal static CancellationToken Stop => TestContext.Current.CancellationToken;

    internal string Data { get; }

    internal FakeTimeProvider Clock { get; private init; } = new();

    internal Store Store => Part<Store>();

    internal T Part<T>()
        where T : notnull => _parts.GetRequiredService<T>();

    /// <summary>Opens one.</summary>
    /// <param name="data">A data folder that is there already; null for a new one.</param>
    /// <param name="at">What the clock shows; null for a morning in spring.</param>
    /// <param name="listen">Where it would listen with TLS; null for nowhere.</param>
    /// <param name="backups">How it backs itself up; null for never.</param>
    internal static async Task<Office> OpenAsync(
        string? data = null,
        DateTimeOffset? at = null,
        Uri? listen = null,
        BackupPlan? backups = null
    )
    {
        var folder = data ?? Directory.CreateTempSubdirectory("furlough-office-").FullName;
        var clock = new FakeTimeProvider(at ?? new DateTimeOffset(2026, 3, 2, 9, 0, 0, TimeSpan.Zero));
        var parts = new ServiceCollection()
            .AddLogging()
            .AddServiceParts(
                new ServiceOptions(folder, 0)
                {
                    Time = clock,
                    Listen = listen,
                    Backups = backups,
                }
            )
            // Every unit of work of every test is one that can be run again.
            .AddSingleton(p => ActivatorUtilities.CreateInstance<Store>(p, new Rehearsal(true)))
            .BuildServiceProvider();
        await parts.PrepareStorageAsync(Stop);
        parts.GetRequiredService<ServiceAddress>().Is(new Uri("http://127.0.0.1:8400"));
        return new Office(folder, parts) { Clock = clock };
    }

    /// <summary>Another instance of the service with the same storage.</summary>
    internal Task<Office> BesideAsync() => OpenAsync(Data, Clock.GetUtcNow());

    /// <summary>What a service does that takes the data folder for itself.</summary>
    internal Task BeginAloneAsync() => _parts.BeginAloneAsync(Stop);

    /// <summary>Hears what other instances have stored.</summary>
    internal Task FollowAsync() => Part<OutboxFollower>().FollowAsync(Stop);

    public async ValueTask DisposeAsync()
    {
        await _parts.DisposeAsync();
        SqliteConnection.ClearAllPools();
        if (Directory.Exists(Data))
            Directory.Delete(Data, recursive: true);
    }

    /// <summary>A machine joins, and is surveyed: asa.lind has Documents and Pictures on its system volume.</summary>
    internal async Task<Desk> DeskAsync(string name, string room = "Map Room", Survey? survey = null)
    {
        var invite = await Part<Invites>().MakeAsync(new InviteRequest(room), "mara.ostby", Stop);
        var enrolled = await Part<AgentSessions>()
            .EnrolAsync(
                new EnrolRequest(
                    invite.Code,
                    name,
                    room,
                    SigningKey.Make().Public,
                    $"{name}-itself",
                    ProtocolVersion.Newest
                ),
                Stop
            );
        var desk = new Desk(this, enrolled.Machine, name);
        await desk.SurveyAsync(survey ?? MadeUpSurvey.Usual(Clock.GetUtcNow()));
        return desk;
    }

    /// <summary>A brief over all machines: Documents and Pictures to the data volume.</summary>
    internal static string Brief(string more = "") =>
        $$"""
            furlough-brief: 1
            title: Room on the system volumes
            machines: {rooms: [Map Room]}
            volumes:
              data: {attached: internal, system: false}
            relocate:
              - {folders: [Documents, Pictures], onto: data, path: "{account}/{folder}"}
            keep-original: 7 days
            {{more}}
            """;

    /// <summary>Plans a brief, accepts whatever wants consent, and starts it.</summary>
    internal async Task<RunView> StartAsync(string brief, string who = "mara.ostby")
    {
        var plan = await Part<PlanDesk>().MakeAsync(new BriefText(brief), who, Stop);
        foreach (var hazard in plan.ConsentsWanted)
            await Part<PlanDesk>().ConsentAsync(plan.Number, new ConsentRequest(hazard, "it is a test"), who, Stop);
        return await Part<RunDesk>().StartAsync(plan.Number, who, Stop);
    }

    internal async Task<RunView> RunAsync(long number) => (await Part<RunDesk>().OneAsync(number, Stop)).View;

    internal Task<RelocationView> RelocationAsync(long number) => Part<RelocationList>().OneAsync(number, Stop);

    /// <summary>The whole of a list that is not long.</summary>
    internal static Page Whole { get; } = new(null, Page.Most);

    internal Task<List<RelocationView>> RelocationsAsync() => Part<RelocationList>().ListAsync(null, null, Whole, Stop);

    /// <summary>The history, the first entry first.</summary>
    internal async Task<List<HistoryEntry>> HistoryAsync(string? about = null)
    {
        var entries = await Part<HistoryList>().ReadAsync(Whole, about, Stop);
        entries.Reverse();
        return entries;
    }

    /// <summary>Puts a relocation into a state, whatever led there.</summary>
    internal Task PutAsync(long number, RelocationState state, Live live, RelocationState before) =>
        Store.WriteAsync(
            db =>
                db.Relocations.Where(r => r.Number == number)
                    .ExecuteUpdateAsync(
                        set =>
                            set.SetProperty(r => r.State, state)
                                .SetProperty(r => r.StateBefore, before)
                                .SetProperty(r => r.Live, live),
                        Stop
                    ),
            Stop
        );

    /// <summary>Everything that storage holds: what was refused has changed nothing of it.</summary>
    internal string Everything() => StoredState.Of(Path.Combine(Data, "furlough.db"));
}

/// <summary>A machine that the test speaks for.</summary>
/// <param name="last">The last docket that it had fetched before.</param>
/// <param name="said">The last bulletin that it had handed in before.</param>
internal sealed class Desk(Office office, Guid id, string name, long last = 0, long said = 0)
{
    private long _last = last;
    private long _said = said;

    internal Guid Id => id;

    internal string Name => name;

    internal Task SurveyAsync(Survey survey)
    {
        office.Part<LiveHub>().Seen(id);
        return office.Part<SurveyDesk>().TakeAsync(id, survey, Office.Stop);
    }

    /// <summary>Fetches the dockets that wait for it.</summary>
    internal async Task<List<Docket>> FetchAsync()
    {
        office.Part<LiveHub>().Seen(id);
        var batch = await office
            .Part<AgentPolls>()
            .DocketsAsync(id, _last, null, null, 0, null, CancellationToken.None, Office.Stop);
        _last = batch.Dockets.Select(d => d.Number).DefaultIfEmpty(_last).Max();
        return
        [
            .. batch.Dockets.Select(d =>
                JsonSerializer.Deserialize(
                    Jws.Verify(office.Part<DocketDesk>().PublicKey, MessageType.Docket, d.Docket),
                    ModelJson.Default.Docket
                )!
            ),
        ];
    }

    /// <summary>Reports on a docket.</summary>
    internal Task SayAsync(
        Docket docket,
        RelocationState state,
        Live live = Live.Source,
        Failure? failure = null,
        OriginalFacts? original = null
    ) =>
        office
            .Part<BulletinDesk>()
            .TakeAsync(
                id,
                [
                    new Bulletin(
                        ++_said,
                        office.Clock.GetUtcNow(),
                        docket.Id,
                        docket.Relocation,
                        state,
                        null,
                        live,
                        failure,
                        [],
                        original,
                        []
                    ),
                ],
                false,
                Office.Stop
            );

    /// <summary>Carries a docket out to its end, and keeps its original.</summary>
    internal async Task SwitchAsync(Docket docket)
    {
        await SayAsync(docket, RelocationState.UnderWay);
        await SayAsync(
            docket,
            RelocationState.Switched,
            Live.Target,
            original: new OriginalFacts(
                docket.Id,
                docket.Holding,
                docket.Source,
                office.Clock.GetUtcNow(),
                docket.Files,
                docket.DataBytes,
                false,
                null
            )
        );
    }

    internal Task FailAsync(Docket docket, string code = "read-failed") =>
        SayAsync(docket, RelocationState.Failed, failure: Failure(docket, code));

    internal static Failure Failure(Docket docket, string code) =>
        new(code, "A file cannot be read.", "Nothing has changed.", "") { Relocation = docket.Relocation };
}
