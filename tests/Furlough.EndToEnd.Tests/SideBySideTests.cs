using System.Text.Json;
using Furlough.Platform.Tests;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>Relocations that one agent carries out at the same time.</summary>
public sealed class SideBySideTests() : RealDesk(megabytes: 64, systemVolume: "tmpfs")
{
    private const string Other = "per.holm";

    [Fact]
    public void Those_of_two_accounts_overlap_and_those_of_one_follow_each_other()
    {
        Prepare(megabytes: 200);
        foreach (var folder in (string[])["Documents", "Pictures"])
            Fill(folder, megabytes: 4);
        Enrol();
        var run = StartRun(BriefFor("Documents, Pictures") + "\nwork: {speed: 0.4 MB/s}\n");

        Field.WaitFor(() => UnderWay().Length == 2, "two at the same time");
        var two = UnderWay();
        two.Select(r => r.GetProperty("account").GetString()).Order().ShouldBe(["asa.lind", Other]);
        var status = Field.RunAgent("status", "--data", $"{Field.Folder}/map-01");
        foreach (var one in two)
            status.Out.ShouldContain(
                $"waits for relocation {one.GetProperty("number")}, which needs the account {one.GetProperty("account").GetString()}"
            );

        Field.Run("run", "follow", run).ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        foreach (var account in (string[])["asa.lind", Other])
            Bulletins(account)
                .ShouldSatisfyAllConditions(
                    b => b.Length.ShouldBe(2),
                    b => b[0][^1].ShouldBeLessThan(b[1][0], "the second begins when the first has ended")
                );
    }

    [Fact]
    public void Two_that_fit_on_a_small_target_only_one_after_the_other_both_get_there()
    {
        Prepare(megabytes: 60);
        Fill("Documents", megabytes: 15);
        Enrol();
        // Each claims 31 MB before it copies: what it holds and 16 MB for what its file system needs. The volume has 60 MB.
        var run = StartRun(BriefFor("Documents") + "\nwork: {speed: 1.5 MB/s}\n");

        Field.WaitFor(
            () =>
                Relocations()
                    .Any(r => r.TryGetProperty("failure", out var f) && f.ToString().Contains("space-claimed")),
            "one that waits for room"
        );
        Field.Run("run", "show", run).Out.ShouldContain("space-claimed");
        Field.Run("run", "follow", run).ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        Relocations().ShouldAllBe(r => r.GetProperty("state").GetString() == "switched");
    }

    /// <summary>A second account, and a target on which two relocations may work at once: as on every built-in disk that is not slowed down by two.</summary>
    private void Prepare(int megabytes)
    {
        Tree.MountVolume("tmpfs", $"{Tree.Root}/quick", megabytes);
        LinuxTree.Sh(
            $"""
            cd {Tree.Root}
            echo '{Other}:x:1702:1702::/home/{Other}:/bin/sh' >> etc/passwd
            echo '{Other}:x:1702:' >> etc/group
            echo '{Other}:!:19000:0:99999:7:::' >> etc/shadow
            cp -a home/asa.lind home/{Other}
            chown -R 1702:1702 home/{Other}
            """
        );
    }

    private void Fill(string folder, int megabytes)
    {
        foreach (var (account, number) in (ReadOnlySpan<(string, int)>)[("asa.lind", 1701), (Other, 1702)])
            LinuxTree.Sh(
                $"""
                cd {Tree.Root}/home/{account}; mkdir {folder}
                for i in $(seq {megabytes * 4}); do head -c 256K /dev/urandom > {folder}/plot-$i; done
                chown -R {number}:{number} {folder}
                """
            );
    }

    private static string BriefFor(string folders) =>
        $$$"""
            furlough-brief: 1
            title: Two people at one desk
            machines: {names: [map-01]}
            volumes: {quick: {system: false, medium: memory}}
            relocate:
              - folders: [{{{folders}}}]
                onto: quick
                path: People/{account}/{folder}
                method: warm
            reserve: {system: 0%, others: 0%}
            """;

    private JsonElement[] Relocations() => [.. Field.Ask("relocations").EnumerateArray()];

    private JsonElement[] UnderWay() =>
        [.. Relocations().Where(r => r.GetProperty("state").GetString() == "under-way")];

    /// <summary>The numbers of what the agent told of each relocation of an account, in the sequence in which they began.</summary>
    private List<long>[] Bulletins(string account) =>
        [
            .. Relocations()
                .Where(r => r.GetProperty("account").GetString() == account)
                .Select(r =>
                    Numbers(
                        $"{Field.Folder}/map-01/agent.db",
                        $"SELECT number FROM bulletin WHERE json_extract(body,'$.relocation')={r.GetProperty("number")} ORDER BY number"
                    )
                )
                .OrderBy(numbers => numbers[0]),
        ];
}
