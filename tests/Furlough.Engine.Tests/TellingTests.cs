using Furlough.Contracts;
using Furlough.Engine.Ports;
using Furlough.Model;
using Microsoft.Extensions.Time.Testing;
using Shouldly;
using Xunit;

namespace Furlough.Engine.Tests;

/// <summary>Anyone who is signed in is notified before being locked out, and may put it off.</summary>
public sealed class TellingTests : IDisposable
{
    private static readonly TimeSpan Before = TimeSpan.FromMinutes(10);

    private readonly FakeTimeProvider _time = new();
    private readonly Bench _bench = new();
    private readonly RelocationEngine _engine;

    public TellingTests()
    {
        _engine = new RelocationEngine(_bench.Machine, _bench.Journal, _bench.Permits, new PlainSigner(), _time);
        _bench.Docket = Telling(_bench.Docket);
        _bench.Machine.Present = true;
    }

    private static Docket Telling(Docket docket) =>
        docket with
        {
            Terms = Terms.Plain with { Telling = new Telling(Before, 2, "en") },
            Told = new ToldText("Your folders", "Your pictures move.", "Not now"),
        };

    private RelocationState Look() => _engine.Run(_bench.Docket, _bench.Recorder, CancellationToken.None);

    private string Said => _bench.Recorder.Last.Failure!.Text;

    public void Dispose() => _engine.Dispose();

    [Fact]
    public void It_goes_on_when_the_time_has_passed_and_the_notice_is_taken_away()
    {
        Look().ShouldBe(RelocationState.Waiting);
        _bench.Machine.Shown!.Text.ShouldBe("Your pictures move.");
        _bench.Recorder.Last.Failure!.Code.ShouldBe("person-told");
        Said.ShouldBe(
            "The relocation of Pictures of asa.lind waits: asa.lind is signed in and was notified: it continues "
                + "10 min after that, or as soon as nobody is signed in."
        );
        _bench.Machine.SignInAllowed.ShouldBeTrue();
        var said = _bench.Recorder.Changes.Count;
        _time.Advance(Before - TimeSpan.FromSeconds(1));
        Look().ShouldBe(RelocationState.Waiting);
        _bench.Recorder.Changes.Count.ShouldBe(said, "it is not told again and again");

        _time.Advance(TimeSpan.FromSeconds(1));
        Look().ShouldBe(RelocationState.Switched);
        _bench.Machine.Shown.ShouldBeNull();
        _bench.EndFault().ShouldBeNull();
    }

    [Fact]
    public void It_is_put_off_so_often_and_no_more()
    {
        Look();
        foreach (var time in (string[])["1", "2"])
        {
            _bench.Machine.Shown!.MayPutOff.ShouldBeTrue();
            _time.Advance(Before / 2);
            _bench.Machine.Shown.IsPutOff = true;
            Look().ShouldBe(RelocationState.Waiting);
            Said.ShouldBe(
                $"The relocation of Pictures of asa.lind waits: asa.lind is signed in and put it off ({time} of 2 "
                    + "times): it continues 10 min after that, or as soon as nobody is signed in."
            );
            _time.Advance(Before / 2);
            Look().ShouldBe(RelocationState.Waiting, "the time begins again");
        }
        _bench.Machine.Shown!.MayPutOff.ShouldBeFalse();
        _time.Advance(Before);
        Look().ShouldBe(RelocationState.Switched);
    }

    [Fact]
    public void Nobody_is_waited_for_who_is_not_there_or_leaves()
    {
        _bench.Machine.Present = false;
        Look().ShouldBe(RelocationState.Switched);
        _bench.Recorder.Changes.ShouldNotContain(c => c.State == RelocationState.Waiting);

        _bench.Docket = Telling(Dockets.Return(_bench.Recorder.Last));
        _bench.Machine.Present = true;
        Look().ShouldBe(RelocationState.Waiting);
        _bench.Machine.Present = false;
        Look().ShouldBe(RelocationState.Returned);
        _bench.EndFault().ShouldBeNull();
    }

    [Fact]
    public void One_notice_is_for_all_dockets_of_the_account_that_follow_one_another()
    {
        Look();
        var first = _bench.Machine.Shown;
        var second = _bench.Docket with { Id = Guid.CreateVersion7(), Method = Method.Warm };
        _engine.Run(second, _bench.Recorder, CancellationToken.None).ShouldBe(RelocationState.Waiting);
        _bench.Machine.Shown.ShouldBeSameAs(first);
        _time.Advance(Before);
        Look().ShouldBe(RelocationState.Switched);

        var back = Telling(Dockets.Return(_bench.Recorder.Last));
        _time.Advance(TimeSpan.FromMinutes(5));
        _engine.Run(back, _bench.Recorder, CancellationToken.None).ShouldBe(RelocationState.Returned, "they know");
        _time.Advance(TimeSpan.FromHours(1));
        _bench.Docket = _bench.Docket with { Id = Guid.CreateVersion7(), Supersedes = [_bench.Docket.Id, back.Id] };
        Look().ShouldBe(RelocationState.Waiting, "an hour later they are notified again");
    }

    [Fact]
    public void A_pause_or_a_halt_takes_the_notice_away()
    {
        Look();
        _bench.Permits.Wish = Wish.Pause;
        Look().ShouldBe(RelocationState.Waiting);
        _bench.Machine.Shown.ShouldBeNull();
        _bench.Permits.Wish = Wish.GoOn;
        _time.Advance(Before);
        Look().ShouldBe(RelocationState.Waiting, "told again, for the whole time");
        _bench.Machine.Shown.ShouldNotBeNull();

        _bench.Permits.Wish = Wish.BackOut;
        Look().ShouldBe(RelocationState.BackedOut);
        _bench.Machine.Shown.ShouldBeNull();
        _bench.LivePlaceFault().ShouldBeNull();
        _bench.Disk.Root("data").Entries.ShouldBeEmpty();
    }
}
