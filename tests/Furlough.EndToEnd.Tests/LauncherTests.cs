using System.Diagnostics;
using Furlough.Platform.Tests;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>Upgrades of an agent at its machine: checked, tried, kept or taken back.</summary>
public sealed class LauncherTests : RealDesk
{
    private const string Broken = "#!/bin/sh\nexit 3\n",
        Hanging = "#!/bin/sh\nexec sleep 1000\n";

    private string Installed => $"{Field.Folder}/installed";

    private string Key => $"{Field.Folder}/release-key.pem";

    private string Data => $"{Field.Folder}/map-01";

    private string Versions => $"{Data}/versions";

    public LauncherTests() =>
        LinuxTree.Sh(
            $"cp -r {Field.Repository}/artifacts/bin/Furlough.Agent/release {Installed} && openssl genpkey -algorithm ed25519 "
                + $"-out {Key} && openssl pkey -in {Key} -pubout -out {Installed}/release-key.pub.pem"
        );

    /// <summary>A release with a list that a key has signed.</summary>
    /// <param name="program">What stands in for the program; null for the real one.</param>
    private string Release(string version, string? program = null, string? key = null)
    {
        var folder = Directory.CreateDirectory($"{Field.Folder}/release-{Guid.NewGuid():N}").FullName;
        LinuxTree.Sh($"cp -r {Field.Repository}/artifacts/bin/Furlough.Agent/release {folder}/furlough-agent");
        if (program is not null)
            File.WriteAllText($"{folder}/furlough-agent/furlough-agent", program);
        LinuxTree.Sh(
            $"cd {folder} && tar -czf furlough-agent-{version}-linux-x64.tar.gz furlough-agent && rm -r furlough-agent && "
                + $"sha256sum *.tar.gz > SHA256SUMS && openssl pkeyutl -sign -rawin -inkey {key ?? Key} -in SHA256SUMS -out SHA256SUMS.sig"
        );
        return folder;
    }

    private Outcome Offer(string release) => Agent("upgrade", release, "--data", Data);

    private Outcome Agent(params string[] arguments)
    {
        using var process = Process.Start(
            new ProcessStartInfo($"{Installed}/furlough-agent", arguments)
            {
                RedirectStandardOutput = true,
                RedirectStandardError = true,
            }
        )!;
        return Field.Finish(process);
    }

    private Process Launch()
    {
        var launcher = Field.StartLauncher($"{Installed}/furlough-agent", Tree.Root, "map-01", Field.Invite());
        Field.WaitForSurveys();
        return launcher;
    }

    /// <summary>Where the program lies that works now.</summary>
    private string Works() =>
        LinuxTree
            .Sh(
                $"pgrep -f -- '--data {Data}' | while read p; do tr '\\0' ' ' < /proc/$p/cmdline | grep -q -- --launch "
                    + "|| readlink /proc/$p/exe; done; true"
            )
            .Split('\n', StringSplitOptions.RemoveEmptyEntries)
            .LastOrDefault(p => p.EndsWith("furlough-agent", StringComparison.Ordinal), "");

    private string Status() => Agent("status", "--data", Data).Out;

    [Fact]
    public void A_version_that_is_well_stays_although_the_service_is_away_and_the_relocation_goes_on()
    {
        Tree.FillHard($"{Tree.Home}/Documents", 30);
        Tree.FillHard($"{Tree.Home}/Pictures", 30);
        var launcher = Launch();
        Field.StopService();
        Offer(Release("0.2.0"))
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(0, o.ToString()),
                o => o.Out.ShouldContain("0.2.0 is laid ready in place of 0.1.0")
            );
        Field.WaitForLog(launcher, "version 0.2.0 is well and stays");
        Works().ShouldBe($"{Versions}/0.2.0/furlough-agent/furlough-agent");
        Status().ShouldContain("version 0.2.0");
        Field.StartService();
        Field.Run("run", "follow", StartRun()).Out.ShouldContain("2 switched");

        // After a restart it is the one that starts; and a higher one takes its place while a relocation waits.
        Field.Kill(launcher);
        launcher = Field.StartLauncher($"{Installed}/furlough-agent", Tree.Root, "map-01");
        Field.WaitFor(() => Works().StartsWith(Versions, StringComparison.Ordinal), "the accepted version");
        Offer(Release("0.1.5")).Error.ShouldContain("0.1.5 is not higher than 0.2.0");
        Offer(Release("0.3.0")).Code.ShouldBe(0);
        Field.WaitForLog(launcher, "version 0.3.0 is well and stays");
        Directory.GetDirectories(Versions).Select(Path.GetFileName).ShouldNotContain("incoming");
        Process.Start("kill", ["-TERM", $"{launcher.Id}"]).WaitForExit();
        launcher.WaitForExit(60_000).ShouldBeTrue();
        launcher.ExitCode.ShouldBe(0);
        Field.WaitFor(() => Works() == "", "the agent's end");
    }

    [Fact]
    public void A_version_that_ends_is_taken_back_and_the_former_one_goes_on()
    {
        Tree.FillHard($"{Tree.Home}/Documents", 30);
        Tree.FillHard($"{Tree.Home}/Pictures", 30);
        var launcher = Launch();
        Offer(Release("0.2.0", Broken)).Code.ShouldBe(0);
        Field.WaitForLog(launcher, "version 0.2.0 was not well (it ended with code 3); 0.1.0 goes on");
        Field.WaitFor(() => Works() == $"{Installed}/furlough-agent", "the former version");
        Status()
            .ShouldSatisfyAllConditions(
                s => s.ShouldContain("version 0.1.0"),
                s => s.ShouldContain("the last upgrade was not made: version 0.2.0 was not well")
            );
        Field.Run("run", "follow", StartRun()).Out.ShouldContain("2 switched");
    }

    [Fact]
    [Trait("Category", "long")]
    public void A_version_that_hangs_is_taken_back_after_a_minute_and_a_half()
    {
        var launcher = Launch();
        var watch = Stopwatch.StartNew();
        Offer(Release("0.2.1", Hanging)).Code.ShouldBe(0);
        Field.WaitForLog(launcher, "version 0.2.1 was not well (it did not show within 90 s");
        Field.WaitFor(() => Works() == $"{Installed}/furlough-agent", "the former version");
        watch.Elapsed.TotalSeconds.ShouldBeGreaterThan(89);
    }

    [Fact]
    public void What_the_release_key_has_not_signed_a_changed_byte_and_a_lower_version_change_nothing()
    {
        var launcher = Launch();
        var own = $"{Field.Folder}/service.pem";
        LinuxTree.Sh($"openssl genpkey -algorithm ed25519 -out {own}");
        Offer(Release("0.2.0", key: own)).Error.ShouldContain("has not signed its list");
        Offer(Release("0.0.9")).Error.ShouldContain("0.0.9 is not higher than 0.1.0");
        Offer(Release("0.1.0")).Error.ShouldContain("0.1.0 is not higher than 0.1.0");
        var listed = Release("0.2.0");
        File.AppendAllText($"{listed}/SHA256SUMS", "\n");
        Offer(listed).Error.ShouldContain("has not signed its list");
        var gone = Release("0.2.0");
        File.Delete($"{gone}/furlough-agent-0.2.0-linux-x64.tar.gz");
        Offer(gone).Error.ShouldContain("is missing in");
        Directory.Exists($"{Versions}/incoming").ShouldBeFalse();

        // The launcher looks itself: what is laid ready is trusted with nothing.
        var changed = Release("0.2.0");
        var archive = $"{changed}/furlough-agent-0.2.0-linux-x64.tar.gz";
        var bytes = File.ReadAllBytes(archive);
        bytes[bytes.Length / 2] ^= 1;
        File.WriteAllBytes(archive, bytes);
        Offer(changed).Code.ShouldBe(0);
        Field.WaitForLog(launcher, "furlough-agent-0.2.0-linux-x64.tar.gz is not what the signed list says");
        LinuxTree.Sh(
            $"mkdir -p {Versions}/incoming && cp {Release("0.4.0", key: own)}/* {Versions}/incoming/ "
                + $"&& echo 0.4.0 > {Versions}/incoming/ready"
        );
        Field.WaitForLog(
            launcher,
            "the upgrade is refused: the release key of this installation has not signed its list"
        );
        Field.WaitFor(() => Works() == $"{Installed}/furlough-agent", "the version that was installed");
        Directory.GetDirectories(Versions).ShouldBeEmpty();

        File.Delete($"{Installed}/release-key.pub.pem");
        Offer(Release("0.2.0")).Error.ShouldContain("installed without a release key");
    }

    [Fact]
    public void A_trial_that_a_power_cut_ended_is_over_and_the_former_version_starts()
    {
        var launcher = Launch();
        Offer(Release("0.2.0", Hanging)).Code.ShouldBe(0);
        Field.WaitForLog(launcher, "trying version 0.2.0");
        Field.Kill(launcher);
        launcher = Field.StartLauncher($"{Installed}/furlough-agent", Tree.Root, "map-01");
        Field.WaitFor(() => Works() == $"{Installed}/furlough-agent", "the former version");
        Field.WaitForLog(launcher, "serving");
        Directory.GetDirectories(Versions).ShouldBeEmpty();
    }
}
