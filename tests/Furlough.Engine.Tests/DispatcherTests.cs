using System.Collections.Concurrent;
using Furlough.Contracts;
using Furlough.Engine.Queue;
using Furlough.Model;
using Shouldly;
using Xunit;

namespace Furlough.Engine.Tests;

/// <summary>Carrying dockets out on several threads, by hand-made dockets of three accounts.</summary>
public sealed class DispatcherTests : IDisposable
{
    private static readonly TimeSpan Long = TimeSpan.FromSeconds(60);
    private readonly CancellationTokenSource _stop = new();
    private readonly ConcurrentQueue<QueuedDocket> _open = new();
    private readonly ConcurrentDictionary<Guid, bool> _over = new();
    private readonly CountdownEvent _rested = new(1);

    public void Dispose()
    {
        _stop.Dispose();
        _rested.Dispose();
    }

    [Fact]
    public async Task Two_accounts_are_carried_out_at_the_same_time_and_one_account_never_is()
    {
        using var both = new Barrier(2);
        var (atOnce, most) = (new ConcurrentDictionary<string, int>(), new ConcurrentDictionary<string, int>());
        Add("asa.lind", "asa.lind", "per.holm", "per.holm");
        await RunUntilRest(docket =>
        {
            var account = docket.Holding.Account;
            var now = atOnce.AddOrUpdate(account, 1, (_, n) => n + 1);
            most.AddOrUpdate(account, now, (_, n) => Math.Max(n, now));
            // Nobody passes who is alone.
            both.SignalAndWait(Long).ShouldBeTrue();
            atOnce.AddOrUpdate(account, 0, (_, n) => n - 1);
            return true;
        });
        most.Values.ShouldBe([1, 1]);
        _over.Count.ShouldBe(4);
    }

    [Fact]
    public async Task One_that_has_to_wait_lets_others_pass_and_is_looked_at_again()
    {
        Add("asa.lind", "asa.lind");
        var waits = _open.First().Docket.Id;
        var otherIsOver = false;
        await RunUntilRest(docket =>
        {
            if (docket.Id == waits)
                return otherIsOver;
            return otherIsOver = true;
        });
        _over.Count.ShouldBe(2);
    }

    [Fact]
    public async Task What_was_woken_for_is_looked_at_at_once()
    {
        Add("asa.lind");
        var looked = 0;
        using var dispatcher = Of(_ => Interlocked.Increment(ref looked) > 1, lookAgain: TimeSpan.FromHours(1));
        var running = Running(dispatcher);
        SpinWait.SpinUntil(() => looked == 1, Long).ShouldBeTrue();
        while (!_rested.Wait(50))
            dispatcher.Wake();
        await Stop(running);
        looked.ShouldBe(2);
    }

    [Fact]
    public async Task A_stop_waits_for_what_was_begun()
    {
        Add("asa.lind", "per.holm");
        using var begun = new CountdownEvent(2);
        var stopped = 0;
        using var dispatcher = Of(
            (_, stop) =>
            {
                begun.Signal();
                stop.WaitHandle.WaitOne(Long);
                Interlocked.Increment(ref stopped);
                stop.ThrowIfCancellationRequested();
                return true;
            },
            Long
        );
        var running = Running(dispatcher);
        begun.Wait(Long).ShouldBeTrue();
        await Stop(running);
        stopped.ShouldBe(2);
    }

    [Fact]
    public async Task What_nobody_foresaw_stops_the_others_and_is_thrown()
    {
        Add("asa.lind", "per.holm");
        using var both = new Barrier(2);
        using var dispatcher = Of(
            (docket, stop) =>
            {
                both.SignalAndWait(Long, CancellationToken.None).ShouldBeTrue();
                if (docket.Holding.Account == "asa.lind")
                    throw new NotSupportedException("nobody foresaw this");
                stop.WaitHandle.WaitOne(Long).ShouldBeTrue();
                return true;
            },
            Long
        );
        (await Should.ThrowAsync<NotSupportedException>(Running(dispatcher)))
            .ToString()
            .ShouldContain("nobody foresaw this");
        _over.Count.ShouldBe(1);
    }

    private void Add(params string[] accounts)
    {
        foreach (var account in accounts)
            _open.Enqueue(
                new QueuedDocket(
                    new Bench().Docket with
                    {
                        Id = Guid.CreateVersion7(),
                        Holding = new HoldingName(account, HoldingKind.Folder, $"folder {_open.Count}"),
                        Source = new Place($"disk of {account}", $"home/{account}/{_open.Count}"),
                        Target = new Place($"second disk of {account}", $"People/{account}/{_open.Count}"),
                        Pointers = [],
                    }
                )
            );
    }

    private Dispatcher Of(Func<Docket, bool> carryOut, TimeSpan? lookAgain = null) =>
        Of((docket, _) => carryOut(docket), lookAgain ?? TimeSpan.FromMilliseconds(20));

    private Dispatcher Of(Func<Docket, CancellationToken, bool> carryOut, TimeSpan lookAgain) =>
        new(
            new DocketQueue(4),
            () => [.. _open.Where(q => !_over.ContainsKey(q.Docket.Id))],
            (docket, stop) => carryOut(docket, stop) && _over.TryAdd(docket.Id, true),
            () =>
            {
                if (_over.Count == _open.Count)
                    _rested.Signal();
            },
            lookAgain
        );

    private Task Running(Dispatcher dispatcher) =>
        Task.Factory.StartNew(
            () => dispatcher.Run(_stop.Token),
            CancellationToken.None,
            TaskCreationOptions.LongRunning,
            TaskScheduler.Default
        );

    private async Task Stop(Task running)
    {
        await _stop.CancelAsync();
        await Should.ThrowAsync<OperationCanceledException>(running);
    }

    private async Task RunUntilRest(Func<Docket, bool> carryOut)
    {
        using var dispatcher = Of(carryOut);
        var running = Running(dispatcher);
        _rested.Wait(Long).ShouldBeTrue();
        await Stop(running);
    }
}
