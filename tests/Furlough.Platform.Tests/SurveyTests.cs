using Furlough.Model;
using Furlough.Platform.Linux;
using Shouldly;
using Xunit;

namespace Furlough.Platform.Tests;

/// <summary>
/// What a survey says of real folders, and that a later one, which looks only where something changed, says the same as
/// a first one.
/// </summary>
public sealed class SurveyTests : IDisposable
{
    private readonly LinuxTree _tree = new();

    public SurveyTests() => _tree.Setting("XDG_DOCUMENTS_DIR=\"$HOME/Documents\"\n");

    private string Documents => $"{_tree.Home}/Documents";

    public void Dispose() => _tree.Dispose();

    [Fact]
    public void A_holding_is_told_with_its_hidden_part_its_clusters_and_its_last_change()
    {
        LinuxTree.Sh(
            $"mkdir -p {Documents}/.hidden; cd {Documents}; head -c 5000 /dev/zero | tr '\\0' x > one; head -c "
                + "4096 /dev/zero | tr '\\0' x > .hidden/two; ln one further; ln -s one link; truncate -s 10M hole; "
                + "sync; touch -d '2020-03-04 05:06:07Z' one hole .hidden/two; touch -d '2021-01-01 00:00Z' .hidden/two"
        );
        var found = Look(_tree.Machine());
        (found.Files, found.DataBytes, found.HiddenBytes).ShouldBe((5, 9_096, 4_096));
        found.Allocated.ShouldContain(new ClusterUse(4_096, 12_288));
        found.LastChange.ShouldBe(new DateTimeOffset(2021, 1, 1, 0, 0, 0, TimeSpan.Zero));
        found.Demands.Of(DemandKind.HardLinks)!.Count.ShouldBe(2);
        found.Demands.Of(DemandKind.LinksElsewhere).ShouldBeNull();
    }

    /// <summary>As the servers' packages and their administrators write it.</summary>
    [Fact]
    public void What_the_systems_configuration_names_or_serves_is_told_of_the_holding()
    {
        LinuxTree.Sh(
            $"mkdir -p {Documents}/plates {_tree.Home}/Pictures; chown -R 1701:1701 {Documents} "
                + $"{_tree.Home}/Pictures; cd {_tree.Root}; mkdir -p etc/samba etc/exports.d "
                + "etc/systemd/system/multi-user.target.wants lib/systemd/system etc/backup "
                + $"{_tree.Home}/.config/syncthing"
        );
        _tree.Setting("XDG_DOCUMENTS_DIR=\"$HOME/Documents\"\nXDG_PICTURES_DIR=\"$HOME/Pictures\"\n");
        IReadOnlyList<string> Of(string name) => _tree.Survey().Holdings.Single(h => h.Name.Name == name).ServedBy;
        Of("Documents").ShouldBeEmpty();
        var (documents, pictures, home) = (
            _tree.Shown(Documents),
            _tree.Shown($"{_tree.Home}/Pictures"),
            _tree.Shown(_tree.Home)
        );

        File.WriteAllText(
            $"{_tree.Root}/etc/samba/smb.conf",
            $"[global]\n[homes]\n  path = /home/%S\n[plates]\n\tPath = {documents}/plates\n; path = {pictures}\n"
        );
        File.WriteAllText($"{_tree.Root}/etc/minidlna.conf", $"#media_dir={documents}\nmedia_dir=P,{pictures}/\n");
        File.WriteAllText(
            $"{_tree.Root}/lib/systemd/system/scan.service",
            $"[Service]\nExecStart=/usr/bin/scan --into={documents}\n"
        );
        File.CreateSymbolicLink(
            $"{_tree.Root}/etc/systemd/system/multi-user.target.wants/scan.service",
            "/lib/systemd/system/scan.service"
        );
        File.WriteAllText($"{_tree.Root}/etc/backup/list", $"{documents}s\n{pictures}2\nsome{documents}\n");
        LinuxTree.Sh(
            $"mkfifo {_tree.Root}/etc/backup/pipe {_tree.Home}/.config/syncthing/config.xml; chown -R 1701:1701 {_tree.Home}/.config"
        );
        Of("Documents")
            .ShouldBe(["`/lib/systemd/system/scan.service`", "the Samba share `plates` (`/etc/samba/smb.conf`)"]);
        Of("Pictures").ShouldBe(["the media server (`/etc/minidlna.conf`)"]);

        File.WriteAllText($"{_tree.Root}/etc/exports", $"# nothing\n\"{home}\" 10.0.0.0/8(ro) *(rw)\n");
        File.WriteAllText($"{_tree.Root}/etc/backup/more", $"keep={pictures}/2019\n");
        Of("Documents").ShouldContain("an NFS export (`/etc/exports`)");
        Of("Pictures")
            .ShouldBe([
                "`/etc/backup/more`",
                "an NFS export (`/etc/exports`)",
                "the media server (`/etc/minidlna.conf`)",
            ]);

        LinuxTree.Sh($"rm {_tree.Home}/.config/syncthing/config.xml");
        File.WriteAllText(
            $"{_tree.Home}/.config/syncthing/config.xml",
            $"<configuration version=\"37\"><folder id=\"a\" path=\"~/Pictures\"/><folder id=\"b\" path=\"/nowhere/else\"/></configuration>"
        );
        var survey = _tree.Survey();
        survey.SyncFolders.ShouldContain(f =>
            f.Client == "Syncthing"
            && f.Account == "asa.lind"
            && f.Place == survey.Holdings.Single(h => h.Name.Name == "Pictures").Place
        );
    }

    [Fact]
    public void Links_that_lead_elsewhere_from_another_place_are_counted()
    {
        LinuxTree.Sh(
            $"mkdir -p {Documents}/in/ner; cd {Documents}; echo x > one; ln -s one same; ln -s ../../one "
                + "in/ner/up; ln -s ../in/ner in/round; ln -s /etc/hostname away; ln -s "
                + $"{_tree.Shown(Documents)}s/other near"
        );
        Look(_tree.Machine()).Demands.Of(DemandKind.LinksElsewhere).ShouldBeNull();
        LinuxTree.Sh(
            $"cd {Documents}; ln -s ../Pictures/plot out; ln -s ../../../x in/ner/far; ln -s "
                + $"{_tree.Shown(Documents)}/one back; ln -s {_tree.Shown(Documents)} itself"
        );
        Look(_tree.Machine()).Demands.Of(DemandKind.LinksElsewhere)!.Count.ShouldBe(4);
    }

    [Fact]
    public void A_later_survey_says_what_a_first_one_would_after_any_change_of_names()
    {
        _tree.FillHard(Documents, 1_200);
        Settle();
        var machine = _tree.Machine();
        Look(machine);
        Same();
        foreach (
            var change in (string[])
                [
                    "echo more > batch-001/new",
                    "rm batch-000/count-00003.txt",
                    "mkdir -p deep/er; echo x > deep/er/.y",
                    "mv batch-002 batch-000/moved",
                    "ln batch-001/new batch-000/again",
                    "mv deep renamed",
                    "rm -rf batch-000/moved",
                ]
        )
        {
            LinuxTree.Sh($"cd {Documents}; {change}");
            Same(change);
            Settle();
            Same(change + ", once more");
        }

        void Same(string? after = null) => Text(Look(machine)).ShouldBe(Text(Look(_tree.Machine())), after);
    }

    [Fact]
    public void A_file_that_grows_in_place_is_noticed_after_so_many_surveys_as_there_are_turns()
    {
        _tree.FillHard(Documents, 1_200);
        Settle();
        var machine = _tree.Machine();
        var before = Look(machine).DataBytes;
        LinuxTree.Sh($"head -c 50000 /dev/zero | tr '\\0' x >> {Documents}/batch-001/count-00600.txt");
        for (var survey = 0; survey < 32; survey++)
            Look(machine);
        Look(machine).DataBytes.ShouldBe(Look(_tree.Machine()).DataBytes);
        Look(machine).DataBytes.ShouldBeGreaterThanOrEqualTo(before + 50_000);
    }

    [Fact]
    public void A_settings_file_of_somebody_else_is_fixed_and_what_stands_at_the_usual_place_besides_is_told()
    {
        LinuxTree.Sh(
            $"mkdir -p {Documents} {_tree.Root}/data/Papers; echo four > {Documents}/left; chown 1701:1701 {_tree.UserDirs}"
        );
        Look(_tree.Machine())
            .ShouldSatisfyAllConditions(h => h.Stray.ShouldBeNull(), h => h.Pointers.Single().FixedBy.ShouldBeNull());
        _tree.Setting("XDG_DOCUMENTS_DIR=\"/data/Papers\"\n");
        LinuxTree.Sh($"chown 1900 {_tree.UserDirs}");
        Look(_tree.Machine())
            .ShouldSatisfyAllConditions(
                h => h.Stray.ShouldBe(new StrayFolder("/home/asa.lind/Documents", 1, 5)),
                h => h.Pointers.Single().FixedBy.ShouldBe("its file belongs to keeper")
            );
        LinuxTree.Sh($"rm -r {Documents}; ln -s /data/Papers {Documents}");
        Look(_tree.Machine()).Stray.ShouldBeNull("a link holds no files");
    }

    [Fact]
    public void Whose_files_lie_in_a_common_folder_is_told_and_a_library_s_usual_place_too()
    {
        LinuxTree.Sh(
            $"mkdir -p {_tree.Root}/srv/course/old {_tree.Home}/Sketches {_tree.Root}/data/sketches; printf 12345 "
                + $"> {_tree.Root}/srv/course/old/a; printf 12 > {_tree.Root}/srv/course/b; touch -d 2026-11-01T10:00Z "
                + $"{_tree.Root}/srv/course/b; printf x > {_tree.Root}/srv/course/c; chown -R 1701 "
                + $"{_tree.Root}/srv/course/old {_tree.Root}/srv/course/b; chown 4242 {_tree.Root}/srv/course/c; printf "
                + $"123 > {_tree.Home}/Sketches/stray; printf '[library]\npath=/data/sketches\n' > "
                + $"{_tree.Home}/.sketcher; chown -R 1701 {_tree.Home}"
        );
        KindCard common = new("course-desk", "", [], [])
        {
            IsCommonFolder = true,
            Shared = true,
            Usual = "/srv/course",
        };
        KindCard sketches = new(
            "sketches",
            "",
            [],
            [new CardPointer("ini", "{home}/.sketcher", "library/path", PointerShape.Folder, null)]
        )
        {
            Usual = "{home}/Sketches",
        };
        var survey = _tree
            .Machine()
            .Surveyor.Take(
                [
                    common,
                    common with
                    {
                        Name = "nowhere",
                        Usual = "/srv/nowhere",
                    },
                    common with
                    {
                        Name = "other",
                        Systems = ["Fen*"],
                    },
                    sketches,
                ],
                [],
                _ => false,
                CancellationToken.None
            );
        var found = survey.CommonFolders.Single();
        (found.Name, found.PathShown).ShouldBe(("course-desk", "/srv/course"));
        found.Left.Select(l => $"{l.Account} {l.Files} {l.DataBytes}").ShouldBe(["4242 1 1", "asa.lind 2 7"]);
        found.Left[1].LastChange.ShouldBeGreaterThan(new DateTimeOffset(2026, 11, 2, 0, 0, 0, TimeSpan.Zero));
        survey
            .Holdings.Single(h => h.Name.Name == "sketches")
            .ShouldSatisfyAllConditions(
                h => h.PathShown.ShouldBe("/data/sketches"),
                h => h.Stray.ShouldBe(new StrayFolder("/home/asa.lind/Sketches", 1, 3))
            );
    }

    [Fact]
    public void What_the_backup_and_the_system_say_of_themselves_is_told()
    {
        _tree.Survey().ShouldSatisfyAllConditions(s => s.Backup.ShouldBeNull(), s => s.RestartPending.ShouldBeFalse());
        LinuxTree.Sh(
            $"mkdir -p {_tree.Root}/var/lib/furlough {_tree.Root}/run; touch {_tree.Root}/run/reboot-required; "
                + $"echo '{{\"lastDone\": \"2026-03-02T03:10:00Z\", \"covers\": [\"/home/\", \"/data/People\", "
                + $"\"relative\"]}}' > {_tree.Root}/var/lib/furlough/backup.json"
        );
        var survey = _tree.Survey();
        survey.RestartPending.ShouldBeTrue();
        survey.Backup!.LastDone.ShouldBe(new DateTimeOffset(2026, 3, 2, 3, 10, 0, TimeSpan.Zero));
        survey.Backup.Covers.Select(survey.Show).ShouldBe(["/home", "/data/People"]);

        File.WriteAllText($"{_tree.Root}/var/lib/furlough/backup.json", "{\"covers\": [null");
        _tree
            .Survey()
            .ShouldSatisfyAllConditions(
                s => s.Backup.ShouldBeNull(),
                s => s.Notes.ShouldContain(n => n.Contains("of backups was not read", StringComparison.Ordinal))
            );
    }

    [Fact]
    public void A_system_service_at_work_in_a_folder_is_named()
    {
        const string hierarchy = "/sys/fs/cgroup",
            name = "furlough-test.service";
        var controller = Directory.Exists(hierarchy)
            ? Directory
                .GetDirectories(hierarchy)
                .FirstOrDefault(d => File.Exists($"{d}/cgroup.procs") && Path.GetFileName(d) is "pids" or "freezer")
            : null;
        Assert.SkipWhen(controller is null, "No control group can be made here.");
        LinuxTree.Sh($"mkdir -p {Documents} {controller}/system.slice/{name}; echo x > {Documents}/log");
        using var program = System.Diagnostics.Process.Start(
            "sh",
            ["-c", $"echo $$ > {controller}/system.slice/{name}/cgroup.procs; exec tail -f {Documents}/log"]
        );
        try
        {
            for (var look = 0; look < 100 && Look(_tree.Machine()).Services.Count == 0; look++)
                CancellationToken.None.WaitHandle.WaitOne(50);
            Look(_tree.Machine())
                .ShouldSatisfyAllConditions(
                    h => h.Services.ShouldBe([name]),
                    h => h.InUse.ShouldContain(u => u.StartsWith("tail (", StringComparison.Ordinal))
                );
        }
        finally
        {
            program.Kill();
            program.WaitForExit();
            LinuxTree.Sh($"rmdir {controller}/system.slice/{name}");
        }
    }

    private static HoldingFacts Look(LinuxMachine machine) =>
        machine
            .Surveyor.Take([], [], _ => false, CancellationToken.None)
            .Holdings.Single(h => h.Name.Name == "Documents");

    private static string Text(HoldingFacts h) =>
        $"{h.Files} {h.DataBytes} {h.HiddenBytes} {h.LastChange:O} {string.Join(' ', h.Allocated)} "
        + $"{h.Demands.LargestFileBytes} {h.Demands.LongestPathBytes} "
        + $"{string.Join(' ', h.Demands.Found.Select(d => $"{d.Kind} {d.Count}"))}";

    /// <summary>
    /// Folders that changed a moment ago are looked into again in any case: here they are to be older than that.
    /// </summary>
    private static void Settle() => CancellationToken.None.WaitHandle.WaitOne(TimeSpan.FromSeconds(2.2));
}
