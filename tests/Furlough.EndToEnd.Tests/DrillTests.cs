using Furlough.Contracts;
using Furlough.Model;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>
/// What people try before someone's home may live on a volume that can be detached: step by step, finished by what the
/// machine sees, and kept.
/// </summary>
public sealed class DrillTests : IDisposable
{
    private readonly Field _field = new();
    private readonly MadeUpMachine _machine;
    private readonly DateTimeOffset _longAgo = TimeProvider.System.GetUtcNow().AddDays(-3);

    public DrillTests()
    {
        _field.StartService();
        _machine = new MadeUpMachine(_field, "fen-12");
    }

    public void Dispose()
    {
        _machine.Dispose();
        _field.Dispose();
    }

    private void Say(bool attached, DateTimeOffset? started = null, string? signedIn = null, bool hasFallback = true)
    {
        var usual = MadeUpSurvey.Usual();
        var now = TimeProvider.System.GetUtcNow();
        _machine.Survey(
            usual with
            {
                TakenAt = now,
                SentAt = now,
                StartedAt = started ?? _longAgo,
                Volumes = attached
                    ? [usual.Volumes[0], usual.Volumes[1] with { Attached = Attachment.External }]
                    : [usual.Volumes[0]],
                Accounts =
                [
                    .. usual.Accounts.Select(a =>
                        a.Name == signedIn
                            ? a with
                            {
                                SignedIn = true,
                                Session = new AccountSession(now, [a.Home]),
                            }
                            : a with
                            {
                                Fallback = a.Fallback && hasFallback,
                            }
                    ),
                ],
            }
        );
    }

    private string Shown => _field.Run("machine", "show", "fen-12").Out;

    private string Open =>
        string.Join(' ', _field.Ask("errands").EnumerateArray().Select(e => e.GetProperty("kind").GetString()));

    private Outcome Begin(string volume = "/data", string account = "asa.lind") =>
        _field.Run("machine", "drill", "fen-12", "--volume", volume, "--account", account);

    [Fact]
    public void Each_step_is_finished_by_what_the_machine_sees_and_the_result_is_kept()
    {
        Begin().Error.ShouldContain("has never been surveyed");
        Say(attached: true);
        Begin("/nowhere").Code.ShouldBe(2);
        Begin("/").Error.ShouldContain("is the system volume");
        Begin(account: "keeper").Error.ShouldContain("not the fallback administrator");
        Begin()
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(0, o.ToString()),
                o => o.Out.ShouldContain("A drill with /data of fen-12 has begun.")
            );
        Begin().Error.ShouldContain("A drill is under way on fen-12.");

        Say(attached: true);
        Open.ShouldBe("unplug", "it is still there");
        Say(attached: false);
        Open.ShouldBe("restart");
        Say(attached: false, started: TimeProvider.System.GetUtcNow());
        Open.ShouldBe("sign-in");
        _field
            .Run("errand", "list")
            .Out.ShouldContain("Sign in as keeper on fen-12 (Map Room), still without the volume `/data`.");
        Say(attached: false, signedIn: "keeper");
        Open.ShouldBe("plug-in");
        Say(attached: true);
        Open.ShouldBe("sign-in");
        Shown.ShouldContain("drill with /data, for asa.lind: under way");
        Say(attached: true, signedIn: "asa.lind");
        Open.ShouldBeEmpty();
        Shown.ShouldContain("drill with /data, for asa.lind: passed at 2");
        _field
            .Run("history", "list")
            .Out.ShouldSatisfyAllConditions(h => h.ShouldContain("drill begun"), h => h.ShouldContain("drill passed"));

        // A later one that fails counts.
        Begin().Code.ShouldBe(0);
        var number = _field.Run("errand", "list", "--json").Json[0].GetProperty("number").ToString();
        _field.Run("errand", "decline", number, "--reason", "it hung at the logo").Code.ShouldBe(0);
        Shown.ShouldContain("it hung at the logo");
        _field.Run("machine", "forget", "fen-12", "--yes").Code.ShouldBe(0);
    }

    [Fact]
    public void A_drill_in_which_the_volume_was_there_all_the_time_has_tried_nothing_and_a_machine_that_changes_fails_it_too()
    {
        Say(attached: true);
        Begin().Code.ShouldBe(0);
        Say(attached: false);
        Say(attached: true, started: TimeProvider.System.GetUtcNow());
        Shown.ShouldContain("nothing was tried without it");
        Open.ShouldBeEmpty();

        Begin().Code.ShouldBe(0);
        Say(attached: false, hasFallback: false);
        Shown.ShouldContain("has no fallback administrator any more");
        Say(attached: true, hasFallback: false);
    }
}
