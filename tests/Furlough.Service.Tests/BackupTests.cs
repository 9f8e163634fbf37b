using System.Formats.Tar;
using System.IO.Compression;
using System.Text;
using Furlough.Model;
using Furlough.Protocol;
using Furlough.Protocol.Api;
using Furlough.Service.Access;
using Furlough.Service.Agents;
using Furlough.Service.Backups;
using Furlough.Service.Machines;
using Furlough.Service.Relocations;
using Furlough.Service.Storage;
using Furlough.Service.Tls;
using Microsoft.EntityFrameworkCore;
using Shouldly;
using Xunit;

namespace Furlough.Service.Tests;

/// <summary>Backups of a service, what restores them, and whom machines follow then.</summary>
[System.Runtime.Versioning.UnsupportedOSPlatform("windows")]
public sealed class BackupTests : IDisposable
{
    private static readonly DateTimeOffset Later = new(2026, 3, 2, 12, 0, 0, TimeSpan.Zero);
    private readonly string _folder = Directory.CreateTempSubdirectory("furlough-backup-").FullName;

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    private string At(string name) => Path.Combine(_folder, name);

    [Theory]
    [InlineData(null)]
    [InlineData("ferns and mosses")]
    public async Task A_backup_made_while_others_write_is_one_moment_and_restores_to_the_same_service(
        string? passphrase
    )
    {
        await using var office = await Office.OpenAsync(listen: new Uri("https://127.0.0.1:0"));
        office.Part<TlsKeys>();
        await office.DeskAsync("map-01");
        using var ends = new CancellationTokenSource();
        // Each write makes a token and says so in the history: one without the other would be two moments.
        var writing = Task.Run(async () =>
        {
            for (var number = 1; !ends.IsCancellationRequested; number++)
                await office
                    .Part<Tokens>()
                    .MakeAsync(new TokenRequest($"token-{number}", AccessLevel.Reader), "mara.ostby", Office.Stop);
        });
        await Task.Delay(100, Office.Stop);
        Backup.Make(office.Data, At("one.backup"), passphrase, office.Clock.GetUtcNow()).Machines.ShouldBe(1);
        await ends.CancelAsync();
        await writing;

        Restore.To(At("restored"), At("one.backup"), passphrase, Later);
        await using var restored = await Office.OpenAsync(At("restored"), Later, new Uri("https://127.0.0.1:0"));
        var (tokens, said) = await restored.Store.ReadAsync(
            async db =>
                (
                    await db.Tokens.CountAsync(t => t.MadeBy == "mara.ostby", Office.Stop),
                    await db.History.CountAsync(
                        h => h.Event == HistoryEvent.TokenMade && h.By == "mara.ostby",
                        Office.Stop
                    )
                ),
            Office.Stop
        );
        tokens.ShouldBeGreaterThan(0);
        tokens.ShouldBe(said);
        restored.Part<DocketDesk>().PublicKey.ShouldBe(office.Part<DocketDesk>().PublicKey);
        TlsStatement
            .Read(restored.Part<DocketDesk>().PublicKey, restored.Part<TlsKeys>().Statement)
            .Number.ShouldBe(Later.ToUnixTimeSeconds(), "agents accept no older statement");
        Restored(restored).ShouldBe(Later.ToUnixTimeSeconds());
        Directory.Exists(Path.Combine(office.Data, "backing-up")).ShouldBeTrue();
        Directory.EnumerateFileSystemEntries(Path.Combine(office.Data, "backing-up")).ShouldBeEmpty();
        File.GetUnixFileMode(At("one.backup")).ShouldBe(UnixFileMode.UserRead | UnixFileMode.UserWrite);
        foreach (var file in Directory.EnumerateFiles(At("restored"), "*", SearchOption.AllDirectories))
            (File.GetUnixFileMode(file) & (UnixFileMode.OtherRead | UnixFileMode.GroupRead)).ShouldBe(
                default,
                $"nobody else reads {file}"
            );
    }

    private static long Restored(Office office) =>
        Generation.Read(office.Part<DocketDesk>().PublicKey, office.Part<Generations>().Signed).Number;

    [Fact]
    public async Task What_is_restored_twice_or_from_a_later_clock_that_was_wrong_is_always_of_a_higher_generation()
    {
        await using var office = await Office.OpenAsync();
        Backup.Make(office.Data, At("one.backup"), null, office.Clock.GetUtcNow());
        Restore.To(At("wrong"), At("one.backup"), null, Later.AddYears(20));
        Backup.Make(At("wrong"), At("two.backup"), null, Later);
        Restore.To(At("right"), At("two.backup"), null, Later);
        await using var wrong = await Office.OpenAsync(At("wrong"));
        await using var right = await Office.OpenAsync(At("right"));
        Restored(office).ShouldBe(0);
        Restored(right).ShouldBe(Restored(wrong) + 1);
    }

    [Fact]
    public async Task A_machine_cannot_make_up_that_the_service_was_replaced_and_one_that_proves_it_is_believed_once()
    {
        await using var office = await Office.OpenAsync();
        var generations = office.Part<Generations>();
        var (forged, old) = (new Generation(99).Sign(SigningKey.Make()), generations.Signed);
        foreach (var lie in (string?[])[forged, "x.y.z", "", old, null])
            await generations.HearAsync("map-01", lie, Office.Stop);
        generations.Replaced.ShouldBeNull();
        generations.RequireFollowed();

        Backup.Make(office.Data, At("one.backup"), null, Later);
        Restore.To(At("restored"), At("one.backup"), null, Later);
        await using var restored = await Office.OpenAsync(At("restored"), Later);
        foreach (var machine in (string[])["map-01", "map-02"])
            (
                await Should.ThrowAsync<RefusedException>(() =>
                    generations.HearAsync(machine, restored.Part<Generations>().Signed, Office.Stop)
                )
            ).Code.ShouldBe("service-replaced");
        (await office.HistoryAsync("service"))
            .ShouldHaveSingleItem()
            .ShouldSatisfyAllConditions(
                h => h.Event.ShouldBe(HistoryEvent.ServiceReplaced),
                h => h.By.ShouldBe("map-01")
            );
        await using var again = await office.BesideAsync();
        again.Part<Generations>().Replaced!.Machine.ShouldBe("map-01", "it is remembered");
    }

    [Fact]
    public async Task A_passphrase_that_is_another_a_changed_byte_and_a_cut_restore_nothing_and_say_so()
    {
        await using (var office = await Office.OpenAsync())
        {
            Backup.Make(office.Data, At("open.backup"), null, Later);
            Backup.Make(office.Data, At("closed.backup"), "ferns", Later);
            Should
                .Throw<IOException>(() => Backup.Make(office.Data, At("open.backup"), null, Later))
                .Message.ShouldContain("something at");
        }
        Refused("closed.backup", null).ShouldContain("--backup-passphrase-file");
        Refused("closed.backup", "mosses").ShouldContain("the passphrase does not open it");
        foreach (var name in (string[])["open.backup", "closed.backup"])
        {
            var whole = File.ReadAllBytes(At(name));
            foreach (var at in (int[])[0, 30, 70, 150, whole.Length / 2, whole.Length - 1])
            {
                File.WriteAllBytes(At("bad"), [.. whole[..at], (byte)(whole[at] ^ 4), .. whole[(at + 1)..]]);
                // At an archive's end nothing but padding stands, which may be any.
                if (name == "open.backup" && at is not 30 && at != whole.Length / 2)
                    continue;
                Refused("bad", "ferns").ShouldContain("Nothing was changed", customMessage: $"{name}, byte {at}");
                File.WriteAllBytes(At("bad"), whole[..at]);
                Refused("bad", "ferns").ShouldContain("Nothing was changed", customMessage: $"{name}, cut at {at}");
            }
        }
        File.WriteAllBytes(At("bad"), [.. File.ReadAllBytes(At("closed.backup")), 7]);
        Refused("bad", "ferns").ShouldContain("damaged");
        Directory.EnumerateFileSystemEntries(At("there")).ShouldBeEmpty();
    }

    private string Refused(string file, string? passphrase) =>
        Should.Throw<IOException>(() => Restore.To(At("there"), At(file), passphrase, Later)).Message;

    [Theory]
    [InlineData("../outside")]
    [InlineData("/tmp/furlough-outside")]
    [InlineData("session-keys/../../outside")]
    [InlineData("unlisted")]
    public void An_archive_with_a_file_that_does_not_belong_in_it_is_not_a_backup(string name)
    {
        var facts = $$"""
            {"format":1,"version":"1.0.0","madeAt":"2026-03-02T09:00:00Z","service":"x","machines":0,
             "files":{{(name == "unlisted" ? "{}" : $"{{\"{name}\":\"00\"}}")}}
            }
            """;
        Archive(("backup.json", facts), (name, "x"));
        Refused("made-up", null).ShouldContain("does not belong in it");
        File.Exists(At("outside")).ShouldBeFalse();
        File.Exists("/tmp/furlough-outside").ShouldBeFalse();
    }

    [Fact]
    public void What_is_no_backup_or_of_a_later_format_says_so()
    {
        Archive(("notes.txt", "x"));
        Refused("made-up", null).ShouldContain("not a backup of a Furlough service");
        Archive(("backup.json", "{}"));
        Refused("made-up", null).ShouldContain("cannot be restored");
        Archive(
            (
                "backup.json",
                """{"format":2,"version":"9.1.0","madeAt":"2026-03-02T09:00:00Z","service":"x","machines":0,"files":{}}"""
            )
        );
        Refused("made-up", null).ShouldContain("Furlough 9.1.0");
        File.WriteAllText(At("made-up"), "not at all");
        Refused("made-up", null).ShouldContain("cannot be restored");
        Should
            .Throw<IOException>(() => Restore.To(At("there"), At("nowhere"), null, Later))
            .Message.ShouldContain("no backup was found at");
    }

    private void Archive(params (string Name, string Text)[] files)
    {
        using var file = File.Create(At("made-up"));
        using var packed = new GZipStream(file, CompressionLevel.Fastest);
        using var tar = new TarWriter(packed, TarEntryFormat.Pax);
        foreach (var (name, text) in files)
            tar.WriteEntry(
                new PaxTarEntry(TarEntryType.RegularFile, name)
                {
                    DataStream = new MemoryStream(Encoding.UTF8.GetBytes(text)),
                }
            );
    }

    [Fact]
    public async Task A_folder_in_use_is_left_alone_and_a_restore_that_was_cut_short_is_begun_again()
    {
        await using var office = await Office.OpenAsync();
        Backup.Make(office.Data, At("one.backup"), null, Later);
        Should
            .Throw<IOException>(() => Restore.To(office.Data, At("one.backup"), null, Later))
            .Message.ShouldContain("is not empty");
        File.Exists(Path.Combine(office.Data, "furlough.db")).ShouldBeTrue();

        // As it is found when the machine stopped in the middle.
        Restore.To(At("cut"), At("one.backup"), null, Later);
        Directory.CreateDirectory(At("cut/restoring"));
        File.Move(At("cut/service-key"), At("cut/restoring/service-key"));
        Should.Throw<IOException>(() => DataFolder.Take(At("cut"))).Message.ShouldContain("furlough service restore");
        Restore.To(At("cut"), At("one.backup"), null, Later);
        DataFolder.Take(At("cut")).Dispose();
    }

    [Fact]
    public async Task Other_programs_that_know_the_format_open_a_backup_with_its_passphrase()
    {
        await using (var office = await Office.OpenAsync())
            Backup.Make(office.Data, At("closed.backup"), "ferns and mosses", Later);
        // It asks on a terminal only.
        using var age = System.Diagnostics.Process.Start(
            new System.Diagnostics.ProcessStartInfo(
                "script",
                ["-qec", $"age -d -o {At("opened.tar.gz")} {At("closed.backup")}", "/dev/null"]
            )
            {
                RedirectStandardInput = true,
                RedirectStandardOutput = true,
            }
        )!;
        await age.StandardInput.WriteLineAsync("ferns and mosses");
        await age.StandardInput.FlushAsync(Office.Stop);
        await age.StandardOutput.ReadToEndAsync(Office.Stop);
        await age.WaitForExitAsync(Office.Stop);
        age.ExitCode.ShouldBe(0);
        Restore.To(At("restored"), At("opened.tar.gz"), null, Later).Format.ShouldBe(1);
    }

    [Fact]
    public async Task The_service_backs_itself_up_by_its_plan_keeps_so_many_and_tells_of_a_failure_once()
    {
        var plan = new BackupPlan(At("backups"), TimeSpan.FromHours(24), 3);
        await using var office = await Office.OpenAsync(backups: plan);
        var watch = office.Part<BackupWatch>();
        for (var day = 0; day < 5; day++)
        {
            await watch.TurnAsync(Office.Stop);
            await watch.TurnAsync(Office.Stop);
            office.Clock.Advance(TimeSpan.FromHours(24));
        }
        File.WriteAllText(At("backups/furlough-notes.backup"), "somebody else's");
        Directory
            .GetFiles(At("backups"))
            .Select(Path.GetFileName)
            .Order()
            .ShouldBe([
                "furlough-20260304T090000Z.backup",
                "furlough-20260305T090000Z.backup",
                "furlough-20260306T090000Z.backup",
                "furlough-notes.backup",
            ]);
        Restore.To(At("restored"), At("backups/furlough-20260306T090000Z.backup"), null, Later);

        // The folder's volume has gone.
        Directory.Delete(At("backups"), recursive: true);
        File.WriteAllText(At("backups"), "");
        for (var hours = 0; hours < 3; hours++, office.Clock.Advance(TimeSpan.FromHours(1)))
            await watch.TurnAsync(Office.Stop);
        File.Delete(At("backups"));
        await watch.TurnAsync(Office.Stop);
        (await office.HistoryAsync("service"))
            .Select(h => h.Event)
            .ShouldBe([
                .. Enumerable.Repeat(HistoryEvent.BackupMade, 5),
                HistoryEvent.BackupFailed,
                HistoryEvent.BackupMade,
            ]);
        Directory.GetFiles(At("backups")).Length.ShouldBe(1);
    }

    [Fact]
    public async Task A_relocation_that_the_former_service_began_after_the_backup_is_not_begun_again()
    {
        await using var office = await Office.OpenAsync();
        Desk[] desks = [await office.DeskAsync("map-01"), await office.DeskAsync("map-02")];
        await office.StartAsync(Office.Brief("waves: {pilot: 1 machines, everybody: the rest}"));
        var pilot = await desks[0].FetchAsync();
        Backup.Make(office.Data, At("one.backup"), null, office.Clock.GetUtcNow());
        foreach (var docket in pilot)
            await desks[0].SwitchAsync(docket);
        (await desks[1].FetchAsync()).Count.ShouldBe(2);
        var signed = await office.Store.ReadAsync(
            db => db.Dockets.Where(d => d.Machine == desks[1].Id).Select(d => d.Signed).ToListAsync(Office.Stop),
            Office.Stop
        );

        Restore.To(At("restored"), At("one.backup"), null, Later);
        await using var restored = await Office.OpenAsync(At("restored"), Later);
        var before = (await restored.RelocationsAsync()).Where(r => r.Machine == "map-02").ToList();
        before.ShouldAllBe(r => r.State == RelocationState.Planned);
        await restored.Part<ReconcileDesk>().TakeOverAsync(desks[1].Id, signed, all: true, Office.Stop);
        var after = (await restored.RelocationsAsync()).Where(r => r.Machine == "map-02").ToList();
        after.Select(r => r.Number).ShouldBe(before.Select(r => r.Number));
        after.ShouldAllBe(r => r.State == RelocationState.Queued);

        // Its run comes to the wave, and finds nothing to begin.
        var there = new Desk(restored, desks[0].Id, "map-01", last: 2);
        foreach (var docket in pilot)
            await there.SwitchAsync(docket);
        (
            await restored.Store.ReadAsync(
                db => db.Dockets.CountAsync(d => d.Machine == desks[1].Id, Office.Stop),
                Office.Stop
            )
        ).ShouldBe(2);
    }
}
