using System.Diagnostics;
using Furlough.Platform.Tests;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>A person's session on a whole Debian, in which a notice server runs as on any desktop.</summary>
public sealed class TellingTests() : RealDesk(megabytes: 64, whole: true)
{
    private const string Told = """
        furlough-brief: 1
        title: Told beforehand
        machines: {names: [map-01]}
        volumes: {roomy: {system: false}}
        relocate:
          - {folders: [Documents, Pictures], onto: roomy, path: "People/{account}/{folder}"}
        work: {tell-people: {before: 30 minutes, put-off: 1}}
        """;

    private string AsPerson(string command) =>
        $"chroot {Tree.Root} setpriv --reuid=1701 --regid=1701 --clear-groups env -i HOME=/home/asa.lind PATH=/usr/bin:/bin {command}";

    private string Notices(string command) =>
        LinuxTree.Sh(AsPerson($"DBUS_SESSION_BUS_ADDRESS=$(cat {Tree.Root}/tmp/bus) dunstctl {command}")).Trim();

    /// <summary>How many notices are shown that say something.</summary>
    private int Shown(string saying) => Tree.Running("notify-send", saying).Count;

    private string Said(string holding) =>
        Relocation(holding).GetProperty("failure") is { ValueKind: System.Text.Json.JsonValueKind.Object } failure
            ? failure.GetProperty("text").GetString()!
            : "";

    [Fact]
    public void Whoever_is_signed_in_is_told_once_puts_it_off_and_is_not_waited_for_when_gone()
    {
        Tree.FillHard($"{Tree.Home}/Documents", 20);
        LinuxTree.Sh(
            $"mkdir -p {Tree.Home}/Pictures; touch {Tree.Home}/Pictures/plot; chown -R 1701:1701 {Tree.Home}/Pictures"
        );
        using var screen = new Screen();
        using var session = Process.Start(
            new ProcessStartInfo(
                "sh",
                [
                    "-c",
                    "exec "
                        + AsPerson(
                            $"DISPLAY={screen.Display} dbus-run-session -- sh -c 'echo $DBUS_SESSION_BUS_ADDRESS > /tmp/bus; exec dunst'"
                        ),
                ]
            )
            {
                RedirectStandardError = true,
                RedirectStandardOutput = true,
            }
        )!;
        try
        {
            Field.WaitFor(
                () => File.Exists($"{Tree.Root}/tmp/bus") && Tree.Running("dunst").Count > 0,
                "the notice server"
            );
            Enrol();
            var run = StartRun(Told);
            Field.WaitFor(
                () =>
                    Said("Documents").Contains("was notified", StringComparison.Ordinal)
                    && Said("Pictures").Contains("was notified", StringComparison.Ordinal),
                "the notice"
            );
            Field.WaitFor(() => Notices("count displayed") == "1", "one notice for both folders");
            Said("Documents")
                .ShouldStartWith(
                    "The relocation of Documents of asa.lind waits: asa.lind is signed in and was notified: it continues 30 min after that"
                );

            Shown("--action").ShouldBe(1, "they may put it off");
            Notices("action 0");
            Field.WaitFor(
                () => Said("Documents").Contains("put it off (1 of 1 time)", StringComparison.Ordinal),
                "that it is put off"
            );
            Field.WaitFor(() => Notices("count displayed") == "1", "one notice again");
            Shown("--action").ShouldBe(0, "they may not put it off any more");

            Tree.End("dunst");
            Field.WaitFor(
                () =>
                    Field.Ask($"runs/{run}").GetProperty("endedAt").ValueKind == System.Text.Json.JsonValueKind.String,
                "the end"
            );
            (
                Relocation("Documents").GetProperty("state").GetString(),
                Relocation("Pictures").GetProperty("state").GetString()
            ).ShouldBe(("switched", "switched"));
            Shown("").ShouldBe(0, "nothing is left on the screen");
        }
        finally
        {
            Tree.End("dbus-daemon");
            Field.Kill(session);
        }
    }
}
