using System.Globalization;
using System.Text.Json;
using Furlough.Agent.Journal;
using Furlough.Contracts;
using Furlough.Engine;
using Furlough.Engine.Ports;
using Furlough.Engine.Records;
using Furlough.Engine.Tests;
using Furlough.Model;
using Microsoft.Data.Sqlite;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>
/// The agent's file as an earlier version left it, in the middle of a docket, is taken over, and the docket ends as it
/// should.
/// </summary>
public sealed class FormerJournalTests : IDisposable
{
    /// <summary>The tables of the first schema.</summary>
    private const string First = """
        CREATE TABLE setting (key TEXT PRIMARY KEY, value TEXT NOT NULL);
        CREATE TABLE docket (number INTEGER PRIMARY KEY, id TEXT NOT NULL UNIQUE, relocation INTEGER NOT NULL,
            supersession INTEGER NOT NULL, body TEXT NOT NULL, begun TEXT, undoing TEXT, ended TEXT);
        CREATE TABLE done (docket TEXT NOT NULL, step TEXT NOT NULL, PRIMARY KEY (docket, step));
        CREATE TABLE note (docket TEXT NOT NULL, key TEXT NOT NULL, value TEXT NOT NULL, PRIMARY KEY (docket, key));
        """;

    /// <summary>
    /// Every operation that is not a multiple of it is left out: each trial writes a journal of its own.
    /// </summary>
    private const int Stride = 5;

    private readonly string _folder = Directory.CreateTempSubdirectory("furlough-former-").FullName;
    private int _files;

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Theory]
    [InlineData(1, Method.Cold, DocketWork.Relocate)]
    [InlineData(1, Method.Warm, DocketWork.Relocate)]
    [InlineData(1, Method.Exchange, DocketWork.Relocate)]
    [InlineData(1, Method.Adopt, DocketWork.Relocate)]
    [InlineData(1, Method.Warm, DocketWork.Return)]
    [InlineData(1, Method.Cold, DocketWork.FallBack)]
    [InlineData(1, Method.Cold, DocketWork.Discard)]
    [InlineData(3, Method.Cold, DocketWork.Relocate)]
    [InlineData(3, Method.Cold, DocketWork.FallBack)]
    public void A_docket_that_an_earlier_version_began_is_finished_wherever_it_was_cut_short(
        int version,
        Method method,
        DocketWork work
    )
    {
        var taken = 0;
        for (var at = 1; ; at += Stride)
        {
            var bench = Begun(method, work);
            bench.Disk.CrashAt = bench.Disk.Operations + at;
            if (bench.Run() is not null)
                break;
            bench.Disk.Crash(new Random(at));
            if (bench.Journal.Read(bench.Docket.Id).Begun is null)
                continue;
            taken++;
            using var store = version == 1 ? TakeOver(bench) : TakeOverThird(bench);
            Run(bench, store).ShouldBe(bench.Good, $"cut short after operation {at}: {bench.Recorder.Last.Failure}");
            bench.EndFault().ShouldBeNull($"cut short after operation {at}");
        }
        taken.ShouldBeGreaterThan(5);
    }

    [Fact]
    public void Backing_out_that_an_earlier_version_began_is_finished()
    {
        var taken = 0;
        for (var at = 1; ; at += Stride)
        {
            var bench = new Bench();
            bench.Recorder.OnChange = change =>
            {
                if (change is { State: RelocationState.UnderWay, Step: Step.SetAside })
                    bench.Permits.Wish = Wish.BackOut;
            };
            bench.Disk.CrashAt = bench.Disk.Operations + at;
            if (bench.Run() is not null)
                break;
            bench.Disk.Crash(new Random(at));
            if (bench.Journal.Read(bench.Docket.Id).Undoing is null)
                continue;
            taken++;
            using var store = TakeOver(bench);
            Run(bench, store).ShouldBe(RelocationState.BackedOut, $"cut short after operation {at}");
            bench.LivePlaceFault().ShouldBeNull($"cut short after operation {at}");
            bench.Machine.Describe(Bench.Source).ShouldBe(bench.Before, $"cut short after operation {at}");
            bench.Machine.SignInAllowed.ShouldBeTrue();
        }
        taken.ShouldBeGreaterThan(2);
    }

    [Fact]
    public void A_file_of_a_later_version_is_refused_and_left_as_it_is()
    {
        var path = $"{_folder}/agent.db";
        new AgentStore(path).Dispose();
        FormerSchema.Execute(path, "PRAGMA user_version=99");
        var before = File.ReadAllBytes(path);
        Should.Throw<FormatException>(() => new AgentStore(path)).Message.ShouldContain("Install that version again");
        File.ReadAllBytes(path).ShouldBe(before);
    }

    [Fact]
    public void A_file_of_the_version_before_is_not_read_by_chance_and_taken_over_whole()
    {
        var path = $"{_folder}/agent.db";
        var bench = new Bench();
        using (var written = new AgentStore(path))
        {
            written.Add(7, bench.Docket, "");
            written.Record(bench.Docket.Id, new Compared());
            written.Record(bench.Docket.Id, new MadeParents(1));
        }
        FormerSchema.Execute(path, "PRAGMA user_version=2");
        Should.Throw<FormatException>(() => new AgentStore(path)).Message.ShouldContain("Start the agent once");
        using var store = new AgentStore(path, takesOver: true);
        store.Read(bench.Docket.Id).Records.All.Count().ShouldBe(2);
        // It claimed nothing, and those that begin now are not held up by it.
        store.ClaimsBeside(Guid.Empty).ShouldBeEmpty();
        store.Queue(3).Single().Docket.Id.ShouldBe(bench.Docket.Id);
    }

    private static Bench Begun(Method method, DocketWork work)
    {
        var bench = new Bench(method: method);
        if (work == DocketWork.Relocate)
            return bench;
        bench.Run().ShouldBe(bench.Good);
        bench.Begin(work);
        return bench;
    }

    private static RelocationState Run(Bench bench, AgentStore store) =>
        new RelocationEngine(bench.Machine, store, bench.Permits, new PlainSigner(), TimeProvider.System).Run(
            bench.Docket,
            bench.Recorder,
            CancellationToken.None
        );

    /// <summary>Writes what the journal holds as the earlier version did, and opens it.</summary>
    private AgentStore TakeOver(Bench bench)
    {
        var path = $"{_folder}/{++_files}.db";
        using (var connection = FormerSchema.Open(path))
        {
            FormerSchema.Execute(connection, First);
            foreach (
                var (id, number) in bench
                    .Docket.Supersedes.Concat(bench.Docket.Originals)
                    .Distinct()
                    .Select((id, i) => (id, i + 1))
            )
                Write(connection, bench, bench.Docket with { Id = id }, number);
            Write(connection, bench, bench.Docket, 100);
        }
        return new AgentStore(path, durable: false, takesOver: true);
    }

    /// <summary>The same as the third version wrote it.</summary>
    private AgentStore TakeOverThird(Bench bench)
    {
        var path = $"{_folder}/{++_files}.db";
        using (var store = new AgentStore(path, durable: false))
            foreach (
                var id in bench.Docket.Supersedes.Concat(bench.Docket.Originals).Append(bench.Docket.Id).Distinct()
            )
            {
                var state = bench.Journal.Read(id);
                store.Add(++_files, bench.Docket with { Id = id }, "");
                foreach (var record in state.Records.All)
                    store.Record(id, record);
                foreach (var step in state.Done)
                    store.Done(id, step);
                if (state.Begun is { } begun)
                    store.Begin(id, begun);
                if (state.Ended is { } ended)
                    store.End(id, ended);
            }
        FormerSchema.WriteBackHolds(path);
        return new AgentStore(path, durable: false, takesOver: true);
    }

    private static void Write(SqliteConnection connection, Bench bench, Docket docket, int number)
    {
        var (id, state) = (docket.Id.ToString(), bench.Journal.Read(docket.Id));
        FormerSchema.Execute(
            connection,
            "INSERT INTO docket VALUES ($a,$b,1,1,$c,$d,$e,$f)",
            number,
            id,
            JsonSerializer.Serialize(docket, ModelJson.Default.Docket),
            state.Begun?.Word(),
            state.Undoing is { } cause ? JsonSerializer.Serialize(cause, ModelJson.Default.Failure) : null,
            state.Ended?.Word()
        );
        foreach (var step in state.Done)
            FormerSchema.Execute(connection, "INSERT INTO done VALUES ($a,$b)", id, step.Word());
        foreach (var (key, value) in state.Records.All.SelectMany(FormerSchema.Notes))
            FormerSchema.Execute(connection, "INSERT INTO note VALUES ($a,$b,$c)", id, key, value);
    }
}
