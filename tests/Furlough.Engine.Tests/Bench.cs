using Furlough.Contracts;
using Furlough.Engine.Ports;
using Furlough.Engine.Trees;
using Furlough.Model;
using Shouldly;

namespace Furlough.Engine.Tests;

/// <summary>A simulated machine with one holding, an engine on it, and the questions that invariants ask.</summary>
internal sealed class Bench
{
    internal static readonly Place Source = new("system", "home/asa.lind/Pictures");

    /// <param name="inPlace">No setting leads to the holding: a link stands in its place when it lives
    /// elsewhere.</param>
    internal Bench(int seed = 1, Method method = Method.Cold, bool inPlace = false)
    {
        Machine = new SimulatedMachine(Disk);
        Docket = Make(method);
        if (inPlace)
            Docket = Docket with
            {
                LeavesLink = true,
                Pointers =
                [
                    new PointerChange(
                        new PointerAddress("simulated", Machine.Show(Source), "", "asa.lind") { InPlace = true },
                        PointerValue.Absent,
                        null
                    ),
                ],
            };
        Target = Docket.Target;
        Fill(seed, method == Method.Adopt);
        Before = Machine.Describe(Source);
        Journal.Before = what => Disk.Operate("journal " + what, "");
    }

    internal SimulatedDisk Disk { get; } = new();

    internal SimulatedMachine Machine { get; }

    internal MemoryJournal Journal { get; private set; } = new();

    internal OpenPermits Permits { get; } = new();

    internal Recorder Recorder { get; } = new();

    internal Docket Docket { get; set; }

    internal string Before { get; private set; }

    /// <summary>
    /// The system was reinstalled: journal, settings and home are fresh, and the account's number is another one.
    /// </summary>
    internal void SetUpAnew(uint number, Action<IFolder>? fillHome = null)
    {
        Journal = new MemoryJournal { Before = Journal.Before };
        Disk.Root("system").Entries.Clear();
        Machine.Number = number;
        using (var root = new SimulatedFolder(Disk, Disk.Root("system"), ""))
        using (var home = root.MakeFolder("home", 0x1ED))
        using (var account = home.MakeFolder("asa.lind", 0x1C0))
            fillHome?.Invoke(account);
        Machine.Setting("one", Machine.Show(Source));
        Machine.Setting("two", Machine.Show(Source));
        Disk.FlushVolume("system");
        Disk.FlushVolume("data");
    }

    /// <summary>Where the first docket takes the holding.</summary>
    internal Place Target { get; }

    /// <summary>How the docket ends when all goes well.</summary>
    internal RelocationState Good =>
        Docket switch
        {
            { Work: DocketWork.Discard } or { Work: DocketWork.Relocate, Method: Method.Exchange } =>
                RelocationState.Finished,
            { Work: DocketWork.Return or DocketWork.FallBack } => RelocationState.Returned,
            _ => RelocationState.Switched,
        };

    /// <summary>The relocation has switched: what comes next. A fall-back loses its target.</summary>
    internal void Begin(DocketWork work)
    {
        Docket = work switch
        {
            DocketWork.Return => Dockets.Return(Recorder.Last),
            DocketWork.FallBack => Dockets.FallBack(Recorder.Last),
            DocketWork.Gather => Dockets.Gather(Recorder.Last),
            _ => Dockets.Discard(Recorder.Last),
        };
        if (work == DocketWork.FallBack)
            Machine.Attach("data", false);
    }

    /// <summary>Someone has worked at the target since the switch.</summary>
    internal void WorkAtTarget()
    {
        using (var folder = Reach.Folder(new SimulatedFolder(Disk, Disk.Root(Target.Volume), ""), Target.Parts))
        using (var file = folder.MakeFile("added"))
            file.Append("since"u8);
        Disk.FlushVolume(Target.Volume);
        Before = Machine.Describe(Target);
    }

    /// <summary>
    /// Runs the docket; null when the process died, of a crash or of a journal that cannot be written.
    /// </summary>
    internal RelocationState? Run()
    {
        try
        {
            return new RelocationEngine(Machine, Journal, Permits, new PlainSigner(), TimeProvider.System).Run(
                Docket,
                Recorder,
                CancellationToken.None
            );
        }
        catch (CutShortException)
        {
            return null;
        }
    }

    /// <summary>
    /// Runs on until the docket has ended. A fault in the journal ends the process, and the disk works again after its
    /// restart.
    /// </summary>
    internal RelocationState Settle()
    {
        var end = Run();
        for (var deaths = 1; end is null; deaths++)
        {
            deaths.ShouldBeLessThan(5, "the docket never ends");
            Disk.FailAt = 0;
            end = Run();
        }
        Disk.FailAt = 0;
        return end.Value;
    }

    /// <summary>
    /// Crashes after the first operation of a docket, in another trial after the second, and so on, and each time
    /// finishes it: its live place is complete, and in the end everything is as it should be.
    /// </summary>
    /// <param name="ended">Asks further questions of a trial that has ended; the text says where it crashed.</param>
    /// <returns>How many operations there were.</returns>
    internal static int CrashAfterEvery(Func<Bench> begun, Action<Bench, string> ended)
    {
        for (var at = 1; ; at++)
        {
            var (bench, crashed) = (begun(), $"crashed after operation {at}");
            bench.Disk.CrashAt = bench.Disk.Operations + at;
            var end = bench.Run();
            var finished = end is not null;
            bench.Disk.Crash(new Random(at));
            bench.LivePlaceFault().ShouldBeNull(crashed);
            end ??= bench.Run();
            end.ShouldBe(bench.Good, $"{crashed}: {bench.Recorder.Last.Failure}");
            bench.EndFault().ShouldBeNull(crashed);
            ended(bench, crashed);
            if (finished)
                return at;
        }
    }

    /// <summary>I2: where the settings lead there is everything, whatever happened.</summary>
    internal string? LivePlaceFault()
    {
        if (Docket is { Method: Method.Adopt, Work: DocketWork.Relocate } && Machine.Describe(Target) != Before)
            return "what was to be adopted is not complete";
        if (Leads() is not { } leads)
            return !Machine.SignInAllowed && Machine.Describe(Target) == Before
                ? null
                : "nothing stands in the holding's place";
        foreach (var lead in leads)
        {
            var place =
                lead == Machine.Show(Source) ? Source
                : lead == Machine.Show(Target) ? Target
                : null;
            if (place is null)
                return $"a setting leads to {lead}";
            if (
                Machine.Describe(place) is var now
                && now != Before
                && !(Docket.Method == Method.Exchange && !Machine.SignInAllowed && ElsewhereIsComplete(place))
            )
                return $"{lead} is not complete:\n{now}\nexpected:\n{Before}";
        }
        return null;
    }

    /// <summary>Where the settings lead, or what stands in the holding's place; null for nothing there.</summary>
    private List<string?>? Leads()
    {
        if (!Docket.Pointers[0].Address.InPlace)
            return [.. new[] { Machine.Setting("one"), Machine.Setting("two") }.Distinct()];
        if (Machine.Read(Docket.Pointers[0].Address).Text is { } link)
            return [link];
        return Machine.Describe(Source) == "(missing)" ? null : [Machine.Show(Source)];
    }

    private bool AllLeadTo(Place place) => Leads()?.All(l => l == Machine.Show(place)) == true;

    /// <summary>What is not as it should be when the docket has ended well: places, receipts, original.</summary>
    internal string? EndFault()
    {
        if (LivePlaceFault() is { } fault)
            return fault;
        if (
            Docket.Work == DocketWork.FallBack
            && (
                Disk.Root("system").Entries["home"].Entries["asa.lind"].Entries.Count != 1
                || Disk.Root("system").Entries.Count != 1
            )
        )
            return "something stands beside what fell back";
        if (Docket.Work is DocketWork.Return or DocketWork.FallBack)
            return AllLeadTo(Source) ? null : "a setting does not lead back to the source";
        if (Docket.Work == DocketWork.Discard)
            return
                Disk.Root("system").Entries.Count == 1
                && Disk.Root("system")
                    .Entries["home"]
                    .Entries["asa.lind"]
                    .Entries.Keys.All(k => k == "Pictures" && Docket.LeavesLink)
                ? null
                : "something is left of the original";
        if (!AllLeadTo(Target))
            return "a setting does not lead to the target";
        if (!Machine.SignInAllowed)
            return "the account cannot sign in";
        if (Docket.Method == Method.Exchange)
            return !Docket.LeavesLink && Machine.Describe(Source) != "(missing)" ? "something stands at the source"
                : ReadOwn(OwnFor(Target), Layout.Receipt) is null ? "the receipt is missing"
                : null;
        var original = OwnFor(Source) with { Path = OwnFor(Source).Path + "/" + Layout.Original };
        if (Machine.Describe(original) is var kept && kept != Before)
            return $"the original is not complete:\n{kept}";
        return FilesFault(OwnFor(Source)) ?? FilesFault(OwnFor(Target));
    }

    /// <summary>A receipt that is there is whole, whenever one looks.</summary>
    internal string? TornReceipt()
    {
        foreach (var own in (Place[])[OwnFor(Source), OwnFor(Target)])
            if (ReadOwn(own, Layout.Receipt) is { } content && !IsReceipt(content))
                return $"{own.Path}/{Layout.Receipt} is torn";
        return null;
    }

    private string? FilesFault(Place own)
    {
        if (ReadOwn(own, Layout.Manifest) is not { } manifest || !manifest.EndsWith("end\n", StringComparison.Ordinal))
            return $"{own.Path} has no whole manifest";
        return ReadOwn(own, Layout.Receipt) is { } receipt && IsReceipt(receipt)
            ? null
            : $"{own.Path} has no whole receipt";
    }

    private static bool IsReceipt(string content) =>
        content.IndexOf('\n') is var at and > 0 && content[at..] == $"\nsigned-{at}\n";

    private string? ReadOwn(Place own, string name)
    {
        using var root = new SimulatedFolder(Disk, Disk.Root(own.Volume), "");
        using var folder = Reach.TryFolder(root, own.Parts);
        if (folder?.Find(name) is null)
            return null;
        using var file = folder.OpenFile(name);
        using var text = new StreamReader(file.Read());
        return text.ReadToEnd();
    }

    /// <summary>The docket's own folder for one of its places.</summary>
    internal Place OwnFor(Place place) =>
        new(
            place.Volume,
            $"{Layout.Dockets}/{Layout.FolderOf(Docket.Id, place == Docket.Source ? DocketSide.Original : DocketSide.Copy)}"
        );

    /// <summary>
    /// While an exchange is between its rename and its pointers nobody is signed in, and the one folder stands at the
    /// other place.
    /// </summary>
    private bool ElsewhereIsComplete(Place place) => Machine.Describe(place == Source ? Target : Source) == Before;

    private static Docket Make(Method method) =>
        new()
        {
            Id = Guid.CreateVersion7(),
            Relocation = 1,
            Machine = Dockets.Machine,
            Supersession = 1,
            NotBefore = DateTimeOffset.MinValue,
            NotAfter = DateTimeOffset.MaxValue,
            Work = DocketWork.Relocate,
            Method = method,
            Holding = new HoldingName("asa.lind", HoldingKind.Folder, "Pictures"),
            AccountId = "1001",
            Source = Source,
            Target = new Place(method == Method.Exchange ? "system" : "data", "People/asa.lind/Pictures"),
            SourceVolume = SimulatedMachine.System,
            TargetVolume = method == Method.Exchange ? SimulatedMachine.System : SimulatedMachine.Data,
            OwnedFrom = 1,
            Pointers =
            [
                new PointerChange(
                    SimulatedMachine.Address("one"),
                    new PointerValue("text", "/system/home/asa.lind/Pictures"),
                    null
                ),
                new PointerChange(
                    SimulatedMachine.Address("two"),
                    new PointerValue("text", "/system/home/asa.lind/Pictures"),
                    null
                ),
            ],
            Files = 10,
            DataBytes = 1000,
            Originals = [],
            Supersedes = [],
            Terms = Terms.Plain,
        };

    private void Fill(int seed, bool atTargetToo)
    {
        Disk.Root("data");
        Fill("system", "home", new Random(seed));
        if (atTargetToo)
            Fill("data", "People", new Random(seed));
        if (!Docket.Pointers[0].Address.InPlace)
        {
            Machine.Setting("one", Machine.Show(Source));
            Machine.Setting("two", Machine.Show(Source));
        }
        Disk.FlushVolume("system");
        Disk.FlushVolume("data");
    }

    private void Fill(string volume, string top, Random random)
    {
        using var root = new SimulatedFolder(Disk, Disk.Root(volume), "");
        using var home = root.MakeFolder(top, 0x1ED);
        using var account = home.MakeFolder("asa.lind", 0x1C0);
        account.Apply(account.Facts() with { Owner = 1001, Group = 1001 }, Attributes.None);
        using var folder = account.MakeFolder("Pictures", 0x1ED);
        Below(folder, 0);

        void Below(IFolder at, int level)
        {
            for (var i = 0; i < 1 + random.Next(3); i++)
            {
                using var file = at.MakeFile($"plot-{i}");
                var content = new byte[random.Next(200)];
                random.NextBytes(content);
                file.Append(content);
                file.Apply(
                    file.Facts() with
                    {
                        Mode = 0x1A4,
                        Owner = 1001,
                        Group = 1001,
                        ModifiedNs = random.NextInt64(1_600_000_000_000_000_000),
                    },
                    Attributes.None
                );
            }
            if (random.Next(2) == 0)
                at.MakeHardLink("further", at, "plot-0");
            if (random.Next(2) == 0)
            {
                at.MakeLink("link", "../elsewhere");
                at.ApplyTo("link", at.Find("link")!.Value with { ModifiedNs = 1_500_000_000_000_000_000 });
            }
            if (level < 2)
                for (var i = 0; i < random.Next(3); i++)
                {
                    using var inner = at.MakeFolder($"year-{i}", 0x1ED);
                    Below(inner, level + 1);
                }
            at.Apply(
                at.Facts() with
                {
                    Owner = 1001,
                    Group = 1001,
                    ModifiedNs = random.NextInt64(1_600_000_000_000_000_000),
                },
                Attributes.None
            );
        }
    }
}
