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
    public void Those_of_two_accounts_and_disks_overlap_and_those_of_one_account_follow_each_other()
    {
        Tree.MountVolume("ext4", $"{Tree.Root}/people", 40);
        Tree.MountVolume("tmpfs", $"{Tree.Root}/quick", 100);
        AddOtherAccount("people");
        foreach (var folder in (string[])["Documents", "Pictures"])
        {
            Fill($"home/asa.lind/{folder}", 1701, megabytes: 4);
            Fill($"people/{Other}/{folder}", 1702, megabytes: 4);
        }
        Enrol();
        var run = StartRun(
            """
            furlough-brief: 1
            title: Two people at one desk
            machines: {names: [map-01]}
            volumes:
              quick: {system: false, medium: memory}
              other: {system: false, medium: unknown, prefer: roomiest}
            relocate:
              - {folders: [Documents, Pictures], accounts: [asa.lind], onto: quick, path: "People/{account}/{folder}", method: warm}
              - {folders: [Documents, Pictures], accounts: [per.holm], onto: other, path: "People/{account}/{folder}", method: warm}
            reserve: {system: 0%, others: 0%}
            work: {speed: 0.4 MB/s}
            """
        );

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
        AddOtherAccount("home");
        Fill("home/asa.lind/Documents", 1701, megabytes: 15);
        Fill($"home/{Other}/Documents", 1702, megabytes: 15);
        Enrol();
        // Each claims 31 MB before it copies: what it holds, and 16 MB for what its file system needs. The volume has
        // 56 MB free.
        var first = StartRun(BriefFor("asa.lind", "work: {speed: 1 MB/s}"));
        Field.WaitFor(() => UnderWay() is [{ } r] && r.GetProperty("step").GetString() == "copy", "the first copy");
        Field.Run("run", "pause", first).Code.ShouldBe(0);
        Field.WaitFor(() => States() is ["waiting"], "the pause");

        var second = StartRun(BriefFor(Other, "halt-after: 1 failure"));
        Field.WaitFor(() => Failures().Contains("space-claimed"), "one that waits for room");
        Field.Run("run", "show", second).Out.ShouldContain("Relocations under way on this machine still need");
        Field.Run("run", "resume", first).Code.ShouldBe(0);
        foreach (var run in (string[])[first, second])
            Field.Run("run", "follow", run).ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        States().ShouldBe(["switched", "switched"]);
    }

    private void AddOtherAccount(string homes) =>
        LinuxTree.Sh(
            $"""
            cd {Tree.Root}
            echo '{Other}:x:1702:1702::/{homes}/{Other}:/bin/sh' >> etc/passwd
            echo '{Other}:x:1702:' >> etc/group
            echo '{Other}:!:19000:0:99999:7:::' >> etc/shadow
            cp -a home/asa.lind {homes}/{Other}
            chown -R 1702:1702 {homes}/{Other}
            """
        );

    private void Fill(string folder, int owner, int megabytes) =>
        LinuxTree.Sh(
            $"""
            cd {Tree.Root}; mkdir {folder}
            for i in $(seq {megabytes * 4}); do head -c 256K /dev/urandom > {folder}/plot-$i; done
            chown -R {owner}:{owner} {folder}
            """
        );

    private static string BriefFor(string account, string more) =>
        $$$"""
            furlough-brief: 1
            title: The documents of {{{account}}}
            machines: {names: [map-01]}
            volumes: {roomy: {system: false}}
            relocate:
              - {folders: [Documents], accounts: [{{{account}}}], onto: roomy, path: "People/{account}/{folder}", method: warm}
            reserve: {system: 0%, others: 0%}
            {{{more}}}
            """;

    private string?[] States() => [.. Relocations().Select(r => r.GetProperty("state").GetString())];

    private string?[] Failures() =>
        [
            .. Relocations()
                .Select(r => r.GetProperty("failure"))
                .Where(f => f.ValueKind == JsonValueKind.Object)
                .Select(f => f.GetProperty("code").GetString()),
        ];

    private JsonElement[] Relocations() => [.. Field.Ask("relocations").EnumerateArray()];

    private JsonElement[] UnderWay() =>
        [.. Relocations().Where(r => r.GetProperty("state").GetString() == "under-way")];

    /// <summary>
    /// The numbers of what the agent told of each relocation of an account, in the order in which they began.
    /// </summary>
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
