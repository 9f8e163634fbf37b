using Furlough.Platform.Tests;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>The system volume of a real desk is reinstalled, with other numbers for the same people.</summary>
public sealed class AdoptionTests : RealDesk
{
    private static readonly string Adopting = Brief
        .Replace("folders: [Documents]", "existing: adopt\n    folders: [Documents]", StringComparison.Ordinal)
        .Replace("folders: [Pictures]", "existing: adopt\n    folders: [Pictures]", StringComparison.Ordinal);

    [Fact]
    public void Every_holding_is_reattached_without_copying_and_belongs_to_the_same_people()
    {
        Tree.FillHard($"{Tree.Home}/Documents", 200);
        Tree.FillHard($"{Tree.Home}/Pictures", 50);
        var agent = Enrol();
        Field.Run("run", "follow", StartRun()).Code.ShouldBe(0);
        var documents = $"{Tree.Root}/data/People/asa.lind/Documents";
        LinuxTree.Sh($"echo added > {documents}/added; chown 1701:1701 {documents}/added; rm {documents}/.hidden");
        var before = LinuxTree.Describe(documents);
        var inodes = LinuxTree.Sh($"cd {documents}; find . -type f -printf '%i %p\\n' | sort");
        Field.Kill(agent);
        SetUpAnew();

        Field
            .RunAgent(
                "--service",
                Field.Address,
                "--root",
                Tree.Root,
                "--data",
                $"{Field.Folder}/map-01",
                "--name",
                "map-01",
                "--room",
                "Map Room",
                "--code-file",
                Field.CodeFile(Field.Invite())
            )
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(5),
                o => o.Error.ShouldContain("furlough machine invite --again map-01")
            );
        var code = Field.Run("machine", "invite", "--again", "map-01", "--json").Json.GetProperty("code").GetString();
        var surveyed = SurveyedAt();
        Field.StartAgent(Tree.Root, "map-01", code);
        Field.WaitFor(() => SurveyedAt() != surveyed, "the survey");
        Field.Run("audit", "make").Out.ShouldContain("pointer-not-as-planned");

        Field.Run("plan", "make", Field.WriteBrief(Brief)).Out.ShouldContain("`existing: adopt`");
        var plan = Field.Run("plan", "make", Field.WriteBrief(Adopting));
        plan.Out.ShouldSatisfyAllConditions(
            o => o.ShouldContain("holding-already-there"),
            o => o.ShouldNotContain("receipt-not-genuine")
        );
        Field
            .Run("run", "follow", StartRun(Adopting))
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()), o => o.Out.ShouldContain("2 switched"));

        LinuxTree.Difference(Readable(Renumbered(before)), Readable(LinuxTree.Describe(documents))).ShouldBeEmpty();
        LinuxTree
            .Sh($"cd {documents}; find . -type f -printf '%i %p\\n' | sort")
            .ShouldBe(inodes, "nothing was copied");
        File.ReadAllText(Tree.UserDirs).ShouldContain("XDG_DOCUMENTS_DIR=\"/data/People/asa.lind/Documents\"");
        LinuxTree.Sh($"stat -c %u {Tree.Root}/data/People/asa.lind").Trim().ShouldBe("1900");
        LinuxTree.Sh($"setpriv --reuid=1900 --regid=1900 --clear-groups cat {documents}/one").ShouldBe("linked\n");
        var adopted = Field
            .Run("relocation", "list", "--json")
            .Json.EnumerateArray()
            .Last(r => r.GetProperty("holding").GetString() == "Documents");
        adopted
            .GetProperty("notes")
            .EnumerateArray()
            .Select(n => n.GetString()!)
            .ShouldContain(n => n.Contains("1 written since, 1 not there any more", StringComparison.Ordinal));
        Field.Run("audit", "make", "--json").Json.GetProperty("findings").GetArrayLength().ShouldBe(0);
        LinuxTree.Sh($"ls -A {Tree.Root}/.furlough-dockets/*-original/original").ShouldContain("saved-meanwhile");
        LinuxTree.Sh($"ls -d {Tree.Root}/data/.furlough-dockets/* | wc -l").Trim().ShouldBe("2");
        EveryBulletinIsThere();
    }

    [Fact]
    public void A_receipt_that_an_account_made_up_is_not_adopted()
    {
        LinuxTree.Sh(
            $"mkdir -p {Tree.Home}/Documents {Tree.Home}/Pictures; echo mine > {Tree.Home}/Documents/mine; chown -R 1701:1701 {Tree.Home}"
        );
        var agent = Enrol();
        Field.Run("run", "follow", StartRun()).Code.ShouldBe(0);
        Field.Kill(agent);
        var receipt = Directory
            .GetFiles($"{Tree.Root}/data/.furlough-dockets", "receipt", SearchOption.AllDirectories)
            .First(f => File.ReadAllText(f).Contains("\"Documents\"", StringComparison.Ordinal));
        File.WriteAllText(
            receipt,
            File.ReadAllText(receipt).Replace("\"files\":", "\"files\":1", StringComparison.Ordinal)
        );
        SetUpAnew();
        var surveyed = SurveyedAt();
        Field.StartAgent(
            Tree.Root,
            "map-01",
            Field.Run("machine", "invite", "--again", "map-01", "--json").Json.GetProperty("code").GetString()
        );
        Field.WaitFor(() => SurveyedAt() != surveyed, "the survey");
        Field
            .Run("plan", "make", Field.WriteBrief(Adopting))
            .Out.ShouldSatisfyAllConditions(
                o => o.ShouldContain("receipt-not-genuine"),
                o => o.ShouldContain("by a receipt of")
            );
        Field.Run("run", "follow", StartRun(Adopting)).Code.ShouldBe(3);
        File.ReadAllText($"{Tree.Root}/data/People/asa.lind/Documents/mine").ShouldBe("mine\n");
    }

    /// <summary>
    /// asa.lind and keeper have exchanged their numbers; home and agent are fresh; the data volume is the same.
    /// </summary>
    private void SetUpAnew()
    {
        Directory.Delete($"{Field.Folder}/map-01", recursive: true);
        LinuxTree.Sh(
            $$"""
            cd {{Tree.Root}}
            rm -rf home/asa.lind; mkdir -p home/asa.lind/.config home/asa.lind/Documents
            echo new > home/asa.lind/Documents/saved-meanwhile
            echo 'root:x:0:0::/root:/bin/sh' > etc/passwd
            echo 'asa.lind:x:1900:1900::/home/asa.lind:/bin/sh' >> etc/passwd
            echo 'keeper:x:1701:1701::/home/keeper:/bin/sh' >> etc/passwd
            printf 'asa.lind:x:1900:\nkeeper:x:1701:\n' > etc/group
            chown -R 1900:1900 home/asa.lind; chmod 700 home/asa.lind
            """
        );
    }

    private static string Renumbered(string description) =>
        System.Text.RegularExpressions.Regex.Replace(description, @"\b(1701|1900)\b", n =>
            n.Value == "1701" ? "1900" : "1701"
        );

    /// <summary>Without the access lists in their raw form; they are there in words too.</summary>
    private static string Readable(string description) =>
        string.Join(
            '\n',
            description.Split('\n').Where(l => !l.StartsWith("system.posix_acl", StringComparison.Ordinal))
        );

    private string SurveyedAt() => Field.Ask("machines")[0].GetProperty("surveyedAt").ToString();

    private void EveryBulletinIsThere()
    {
        var stored = Numbers($"{Field.Folder}/service/furlough.db", "SELECT Number FROM Bulletins ORDER BY Number");
        stored.ShouldBe(
            Enumerable.Range(1, stored.Count).Select(n => (long)n),
            "numbers go on where the former agent's ended"
        );
    }
}
