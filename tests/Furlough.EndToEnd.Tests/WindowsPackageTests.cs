using System.Text.Json;
using Furlough.Platform.Tests;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>The installer for Windows: set up silently, brought to a later version and removed, with its service at work.</summary>
[Trait("Category", "long")]
public sealed class WindowsPackageTests : IDisposable
{
    private readonly Field _field = new();
    private readonly WindowsDesk _desk = new();

    public WindowsPackageTests() => _field.StartService(tls: true);

    public void Dispose()
    {
        _desk.Dispose();
        _field.Dispose();
    }

    [Fact]
    public void It_enrols_and_relocates_as_a_service_keeps_its_settings_and_goes_when_nothing_is_under_way()
    {
        // Services of this system run as long as somebody works there.
        // They have an environment of their own; see WindowsDesk for what stands in it.
        _desk.Wine(
            "wine",
            "reg",
            "add",
            @"HKLM\SYSTEM\CurrentControlSet\Control\Session Manager\Environment",
            "/v",
            "DOTNET_EnableWriteXorExecute",
            "/d",
            "0",
            "/f"
        );
        File.WriteAllText($"{_desk.System}/code.txt", _field.Invite());
        File.WriteAllText($"{_desk.System}/notes.txt", "somebody works here");
        _desk.Hold(_field, @"C:\notes.txt");
        Installer("0.1.0", "/i", $"SERVICE={_field.Address}", @"CODEFILE=C:\code.txt", "ROOM=Wet Lab").Code.ShouldBe(0);
        _field.WaitForSurveys();
        var machine = _field.Ask("machines")[0];
        machine.GetProperty("room").GetString().ShouldBe("Wet Lab");
        var name = machine.GetProperty("name").GetString()!;

        Directory.CreateDirectory($"{_desk.Home}/Documents");
        for (var i = 0; i < 40; i++)
        {
            File.WriteAllBytes($"{_desk.Home}/Documents/count-{i}", new byte[1_000_000]);
            File.SetLastWriteTimeUtc($"{_desk.Home}/Documents/count-{i}", DateTime.UnixEpoch.AddDays(20_000 + i));
        }
        var before = WindowsDesk.Describe($"{_desk.Home}/Documents");
        _field.Run("machine", "survey", name).ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        StartRun();
        Field.WaitFor(() => _field.Ask("relocations")[0].GetProperty("step").GetString() == "copy", "the copying");
        Installer("0.1.0", "/x").Code.ShouldNotBe(0, "a relocation is under way");
        _desk.Wine("wine", "sc", "query", "FurloughAgent").Out.ShouldContain("RUNNING");
        _field
            .Run("run", "follow", "1")
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()), o => o.Out.ShouldContain("1 switched"));

        Installer("0.1.1", "/i").Code.ShouldBe(0, "a later version, told nothing");
        _field.Run("machine", "survey", name).ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        Installer("0.1.0", "/i").Code.ShouldNotBe(0, "an earlier version");
        _field.Run("machine", "survey", name).ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));

        _desk
            .Wine("wine", @"C:\Program Files\Furlough Agent\furlough-agent.exe", "before-removal")
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(0, o.ToString()),
                o => o.Out.ShouldContain("the original of Documents of")
            );
        Installer("0.1.1", "/x").Code.ShouldBe(0);
        Directory.Exists($"{_desk.System}/Program Files/Furlough Agent").ShouldBeFalse();
        _desk.Wine("wine", "sc", "query", "FurloughAgent").Code.ShouldNotBe(0, "no such service");
        File.Exists($"{_desk.System}/ProgramData/Furlough Agent/agent.db").ShouldBeTrue("the journal stays");
        WindowsDesk.Describe($"{_desk.Second}/People/Documents").ShouldBe(before);
    }

    private Outcome Installer(string version, string what, params string[] properties)
    {
        File.Copy(
            $"{Field.Repository}/artifacts/packages/furlough-agent-{version}-win-x64.msi",
            $"{_desk.System}/agent.msi",
            overwrite: true
        );
        // The service that it starts would keep what it prints to open.
        return _desk.Wine([
            "sh",
            "-c",
            "wine msiexec /qn \"$@\" >/dev/null 2>&1 </dev/null",
            "sh",
            what,
            @"C:\agent.msi",
            .. properties,
        ]);
    }

    private void StartRun()
    {
        var plan = _field.Run(
            "plan",
            "make",
            _field.WriteBrief(
                """
                furlough-brief: 1
                title: Documents to the second volume
                machines: {rooms: [Wet Lab]}
                volumes: {roomy: {system: false}}
                relocate:
                  - {folders: [Documents], onto: roomy, path: "People/{folder}"}
                work: {speed: 4 MB/s}
                """
            ),
            "--json"
        );
        plan.Code.ShouldBe(0, plan.ToString());
        foreach (var hazard in plan.Json.GetProperty("consentsWanted").EnumerateArray().Select(h => h.GetString()!))
            _field.Run("plan", "consent", "1", "--hazard", hazard, "--reason", "A test").Code.ShouldBe(0);
        _field.Run("run", "start", "--plan", "1").ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
    }
}
