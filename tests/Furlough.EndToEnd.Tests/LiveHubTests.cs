using Furlough.Model;
using Furlough.Service.LiveEvents;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

public sealed class LiveHubTests
{
    private readonly LiveHub _live = new(TimeProvider.System);

    [Fact]
    public void The_more_there_is_under_way_the_less_often_progress_is_wanted()
    {
        _live.ProgressPause.ShouldBe(TimeSpan.FromSeconds(0.7));
        Report(3_000);
        _live.ProgressPause.ShouldBe(TimeSpan.FromSeconds(2));
        for (var i = 0; i < 2_500; i++)
            _live.ForgetProgress(i);
        _live.ProgressPause.ShouldBe(TimeSpan.FromSeconds(0.7));
        Report(10_000);
        _live.ProgressPause.ShouldBe(TimeSpan.FromSeconds(5));
    }

    [Fact]
    public async Task What_happened_reaches_a_console_that_is_slow_to_listen_however_much_progress_there_is()
    {
        await using var listener = _live
            .ListenAsync(TestContext.Current.CancellationToken)
            .GetAsyncEnumerator(TestContext.Current.CancellationToken);
        await listener.MoveNextAsync();
        _live.Say("relocation", 1);
        Report(1_000);
        _live.Say("relocation", 2);
        List<string> heard = [];
        while (!heard.Contains("relocation 2"))
        {
            (await listener.MoveNextAsync()).ShouldBeTrue();
            heard.Add($"{listener.Current.Kind} {listener.Current.Subject}");
        }
        heard.ShouldContain("relocation 1");
        heard.Count.ShouldBeLessThan(70);
    }

    private void Report(int relocations)
    {
        for (var i = 0; i < relocations; i++)
            _live.Keep(new Progress(Guid.Empty, i, Step.Copy, 1, 2, 10, 20, 5, 2, DateTimeOffset.UnixEpoch));
    }
}
