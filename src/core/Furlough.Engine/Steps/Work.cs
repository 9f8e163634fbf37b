using Furlough.Engine.Ports;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>One docket under way: what steps share, and the questions to reality that several of them ask.</summary>
public sealed class Work(
    Docket docket,
    IMachine machine,
    Desk desk,
    WriteWatches watches,
    IJournal journal,
    IPermits permits,
    IReceiptSigner signer,
    IWatcher watcher,
    TimeProvider time,
    CancellationToken stop
)
{
    private const string TargetShown = "target-shown";
    private const string NextValue = "next ";

    private readonly List<string> _notes = [];
    private readonly List<IVolume> _open = [];
    private readonly List<StepTime> _times = [];
    private readonly Pace _pace = new(
        docket,
        permits,
        () => !journal.Read(docket.Id).Done.Contains(Step.Quiesce),
        time,
        stop
    );

    /// <summary>The docket.</summary>
    public Docket Docket => docket;

    /// <summary>The machine's ports.</summary>
    public IMachine Machine => machine;

    /// <summary>The people at the machine.</summary>
    public Desk Desk => desk;

    /// <summary>What is written in the source.</summary>
    internal WriteWatches.DocketWrites Writes { get; } = watches.Of(docket.Id);

    /// <summary>The journal.</summary>
    public IJournal Journal => journal;

    /// <summary>Permits.</summary>
    public IPermits Permits => permits;

    /// <summary>Signs receipts.</summary>
    public IReceiptSigner Signer => signer;

    /// <summary>Stops the work at the next safe point; it goes on after a restart.</summary>
    public CancellationToken Stop => stop;

    /// <summary>What is to be reported with the outcome.</summary>
    public IReadOnlyList<string> Notes => _notes;

    /// <summary>The clock.</summary>
    public TimeProvider Time => time;

    /// <summary>How long a step took.</summary>
    public void Took(Step step, TimeSpan time) => _times.Add(new StepTime(step, time));

    /// <summary>Adds to what is reported.</summary>
    public void Report(string note) => _notes.Add(note);

    /// <summary>Counts at the docket's pace.</summary>
    public TreeCounter Counter() => new(_pace.Pass);

    /// <summary>Stops the work where the service wishes it.</summary>
    public void Heed() => _pace.Heed();

    /// <summary>Lets time pass, unless the work is stopped.</summary>
    public void Delay(TimeSpan length) => Task.Delay(length, time, stop).GetAwaiter().GetResult();

    /// <summary>What a step wrote down, or null.</summary>
    public string? Noted(string key) => journal.Read(docket.Id).Notes.GetValueOrDefault(key);

    /// <summary>Writes down a fact before it is acted on.</summary>
    public void Note(string key, string value) => journal.Note(docket.Id, key, value);

    /// <summary>The verified source volume (I11).</summary>
    public IVolume SourceVolume() => Held(docket.SourceVolume);

    /// <summary>The verified target volume (I11), still where it was when the docket began.</summary>
    public IVolume TargetVolume()
    {
        var volume = Held(docket.TargetVolume);
        var shown = machine.Volumes.Show(docket.Target);
        if (Noted(TargetShown) is not { } before)
            Note(TargetShown, shown);
        else if (before != shown)
            throw new Fault(
                "volume-elsewhere",
                $"The target is at `{shown}` now and was at `{before}` when the work began.",
                "Mount the volume where it was, then {retry}."
            );
        return volume;
    }

    /// <summary>Lets go of the volumes that a step opened, so that they can be unmounted.</summary>
    public void Release()
    {
        foreach (var volume in _open)
            volume.Dispose();
        _open.Clear();
    }

    private IVolume Held(VolumeIdentity identity)
    {
        var volume = machine.Volumes.Require(identity);
        _open.Add(volume);
        return volume;
    }

    /// <summary>Opens the folder that contains a place.</summary>
    public static IFolder Parent(IVolume volume, Place place)
    {
        using var root = volume.OpenRoot();
        return Reach.Folder(root, place.Parts.SkipLast(1));
    }

    /// <summary>The folder that contains a place, or null when it is not there.</summary>
    public static IFolder? TryParent(IVolume volume, Place place)
    {
        using var root = volume.OpenRoot();
        return Reach.TryFolder(root, place.Parts.SkipLast(1));
    }

    /// <summary>The docket's own folder for its copy or its original; null when it is not there.</summary>
    /// <exception cref="Fault"><c>docket-folder-replaced</c></exception>
    public DocketFolder? TryOwn(DocketSide side) => TryFolderOf(docket.Id, side);

    /// <summary>The docket's own folder, opened.</summary>
    /// <exception cref="Fault">It is gone, or not the one that was made.</exception>
    public DocketFolder Own(DocketSide side) =>
        TryOwn(side)
        ?? throw new Fault(
            "docket-folder-missing",
            $"The folder in which Furlough keeps the {(side == DocketSide.Copy ? "copy" : "original")} is gone from its volume.",
            "Find out who removed it, then {retry}."
        );

    /// <summary>The folder of this or another docket of the same holding on one side of this one: as the journal knows it, else wherever an earlier version or another system may have left it.</summary>
    public DocketFolder? TryFolderOf(Guid id, DocketSide side)
    {
        var (volume, place) =
            side == DocketSide.Copy ? (TargetVolume(), docket.Target) : (SourceVolume(), docket.Source);
        return TryFolderOf(id, side, volume, place);
    }

    /// <summary>The same on a volume and for a place of its own.</summary>
    public DocketFolder? TryFolderOf(Guid id, DocketSide side, IVolume volume, Place place)
    {
        using var root = volume.OpenRoot();
        return DocketFolderRecord.Of(journal.Read(id), side) is { } record
            ? DocketFolders.TryOpen(root, volume.Abilities, id, side, record)
            : DocketFolders.TryFind(root, volume.Abilities, place, id, side);
    }

    /// <summary>Acts on names in a folder of a volume with the rights of the holding's account, if the account can change the folder; else with the system's (I8).</summary>
    public IDisposable In(IFolder folder, IVolume volume) =>
        docket.Holding.IsShared || !volume.Abilities.Owners || DocketFolders.IsSystems(folder.Facts())
            ? OwnRights.Kept
            : machine.Accounts.As(docket.Holding.Account, docket.AccountId);

    /// <summary>A pointer's raw value before the relocation.</summary>
    public PointerValue FormerOf(PointerChange change) => FirstStart.FormerOf(this, change);

    /// <summary>A pointer's new raw value: given by the docket, or the target spelled in its own syntax. Spelled once: recovery must see what was written.</summary>
    public PointerValue NextOf(PointerChange change)
    {
        if (change.Next is { } given)
            return given;
        var key = KeyOf(NextValue, change);
        if (Noted(key)?.Split('\t', 2) is [var type, var text])
            return new PointerValue(type, text);
        var spelled = machine.Pointers.Spell(change.Address, Below(docket.Target, change), FormerOf(change));
        Note(key, spelled.Type + "\t" + spelled.Text);
        return spelled;
    }

    /// <summary>Where a pointer leads when the holding is at a place.</summary>
    private static Place Below(Place place, PointerChange change) =>
        change.Within.Length == 0 ? place : place with { Path = $"{place.Path}/{change.Within}" };

    /// <summary>The name under which something of a pointer is noted.</summary>
    internal static string KeyOf(string what, PointerChange change) => what + Named(change.Address);

    /// <summary>Whether something was noted of a pointer under a name.</summary>
    public static bool IsNotedOf(PointerAddress address, string key) =>
        key.EndsWith(" " + Named(address), StringComparison.Ordinal);

    /// <summary>Whether two addresses name the same setting, whatever else is said of it.</summary>
    public static bool IsSame(PointerAddress one, PointerAddress other) => Named(one) == Named(other);

    private static string Named(PointerAddress address) =>
        $"{address.Kind} {address.Container} {address.Key} {address.Account}";

    /// <summary>Every pointer's value before and after.</summary>
    public IReadOnlyList<PointerHistory> History() =>
        [.. docket.Pointers.Select(p => new PointerHistory(p.Address, FormerOf(p), NextOf(p)) { Within = p.Within })];

    /// <summary>Which of the docket's places is live, read from the pointers themselves (I2): the target once every one leads there.</summary>
    public Live LiveNow()
    {
        try
        {
            // Links come last and go first: where there are settings too, these decide.
            IReadOnlyList<PointerChange> deciding = docket.Pointers.Any(p => !p.Address.InPlace)
                ? [.. docket.Pointers.Where(p => !p.Address.InPlace)]
                : docket.Pointers;
            if (deciding is [{ Address.InPlace: true }, ..] && !StandsInPlace())
                return Live.Unknown;
            if (deciding.Any(p => machine.Pointers.Read(p.Address) == FormerOf(p)))
                return Live.Source;
            return deciding.All(p => machine.Pointers.Read(p.Address) == NextOf(p)) ? Live.Target : Live.Unknown;
        }
        catch (Fault)
        {
            return Live.Unknown;
        }
    }

    /// <summary>Whether anything stands on the path that the holding's program knows.</summary>
    private bool StandsInPlace()
    {
        var (place, identity) =
            docket.Work == DocketWork.Relocate
                ? (docket.Source, docket.SourceVolume)
                : (docket.Target, docket.TargetVolume);
        using var volume = machine.Volumes.Require(identity);
        using var parent = TryParent(volume, place);
        return parent?.Find(place.Parts[^1]) is not null;
    }

    /// <summary>The same in terms of the relocation, whose source a return goes back to.</summary>
    public Live LiveOfRelocation() =>
        (docket.Work, LiveNow()) switch
        {
            (DocketWork.Return or DocketWork.FallBack, Live.Source) => Live.Target,
            (DocketWork.Return or DocketWork.FallBack, Live.Target) => Live.Source,
            (_, var live) => live,
        };

    /// <summary>"the data lives at its target, `/data/…`"; where only settings change, where these lead.</summary>
    public string LiveInWords() =>
        FirstStart.IsToCome(this)
            ? $"its program is to make it at `{machine.Volumes.Show(docket.Source)}`"
            : $"{docket.Method.Lives()} {LivePlaceInWords()}";

    /// <summary>"its target, `/data/…`".</summary>
    public string LivePlaceInWords()
    {
        var (now, relocation) = (LiveNow(), LiveOfRelocation());
        return now switch
        {
            Live.Unknown =>
                $"where its settings lead (between `{machine.Volumes.Show(docket.Source)}` and `{machine.Volumes.Show(docket.Target)}`)",
            Live.Target => $"its {relocation.Word()}, `{machine.Volumes.Show(docket.Target)}`",
            _ when docket.Work == DocketWork.FallBack =>
                $"its {relocation.Word()}, `{machine.Volumes.Show(docket.Source)}`, as far as it is not lost, and the original is kept",
            _ => $"its {relocation.Word()}, `{machine.Volumes.Show(docket.Source)}`",
        };
    }

    /// <summary>Every pointer must read what the docket expects (I9).</summary>
    public void RequirePointersAtSource()
    {
        foreach (var change in docket.Pointers)
        {
            var found = machine.Pointers.Read(change.Address);
            if (found != FormerOf(change))
                throw Faults.PointerChanged(change.Address, FormerOf(change), found);
        }
    }

    /// <summary>The former values that a docket gives must lead to its target still: one that is written from the home on does not when the home is elsewhere now (I2).</summary>
    public void RequireFormerValuesLead()
    {
        foreach (var change in docket.Pointers)
            if (
                machine.Volumes.Show(Below(docket.Target, change)) is var shown
                && change.Next is { } former
                && machine.Pointers.Leads(change.Address, former) is { } path
                && path != shown
            )
                throw new Fault(
                    "former-setting-elsewhere",
                    $"The former value of the setting {change.Address}, `{former.Text ?? "(nothing)"}`, leads to `{path}` now and not to `{shown}`.",
                    "What it is written from was relocated since: return that first, or relocate this holding with a new plan."
                );
    }

    /// <summary>Every pointer must lead to the target. The link of a holding that has one in its place is left last of all, and looked at when the relocation is confirmed.</summary>
    public void RequirePointersAtTarget()
    {
        foreach (var change in docket.Pointers.Where(p => !(p.Address.InPlace && docket.Work == DocketWork.Relocate)))
        {
            var found = machine.Pointers.Read(change.Address);
            var next = NextOf(change);
            if (found != next)
                throw Faults.PointerChanged(change.Address, next, found);
        }
    }

    /// <summary>What the list of the source is called in the folder beside the target: a copy is equal to its source and has one list; what was adopted by a receipt is not.</summary>
    public string ListOfSource => docket.Adoption is null ? Layout.Manifest : Layout.SourceManifest;

    /// <summary>The entries of a complete manifest.</summary>
    public static IEnumerable<ManifestEntry> ReadManifest(IFolder own, string name = Layout.Manifest)
    {
        using var file = own.OpenFile(name);
        using var stream = file.Read();
        foreach (var entry in Trees.Manifest.Read(stream))
            yield return entry;
    }

    /// <summary>Reports progress while something runs, twice a second at most.</summary>
    public IDisposable Watch(Step step, TreeCounter counter) => new ProgressMeter(docket, step, counter, watcher, time);

    /// <summary>Whether the source is set aside when the work is done.</summary>
    public bool KeepsOriginal =>
        docket is { Method: not (Method.Exchange or Method.Setting), Work: DocketWork.Relocate or DocketWork.Return }
        && Noted(AdoptPrepareStep.NothingAtSource) is null;

    /// <summary>Where nobody may hold files open: what is moved.</summary>
    public Place Moving =>
        docket.Work != DocketWork.FallBack ? docket.Source : docket.Target with { Path = OriginalPath() };

    private string OriginalPath()
    {
        using var folder = TryFolderOf(docket.Originals[0], DocketSide.Original, TargetVolume(), docket.Target);
        return Walk.Join(folder?.Path ?? docket.Target.Path, Layout.Original);
    }

    /// <summary>The state of a docket of this kind while it is carried out.</summary>
    public RelocationState UnderWay =>
        docket.Work switch
        {
            DocketWork.Discard => RelocationState.Discarding,
            DocketWork.Gather => RelocationState.Gathering,
            DocketWork.Return or DocketWork.FallBack => RelocationState.Returning,
            _ => RelocationState.UnderWay,
        };

    /// <summary>Reports that the work waits, and for what.</summary>
    public void Waits(Step step, Fault why) =>
        Changed(
            RelocationState.Waiting,
            step,
            FailureText.Of(this, why, $"Nothing has changed; {LiveInWords()}.", waits: true)
        );

    /// <summary>Reports a state.</summary>
    public void Changed(
        RelocationState state,
        Step? step,
        Failure? failure = null,
        OriginalFacts? original = null,
        Guid? liveAgain = null
    ) =>
        watcher.Changed(
            new RelocationChange(
                docket,
                state,
                step,
                LiveOfRelocation(),
                failure,
                docket.Work.MovesHolding() ? HistoryIfKnown() : [],
                original,
                [.. _notes]
            )
            {
                Times = state.IsAtRest() ? [.. _times] : [],
                LiveAgain = liveAgain,
            }
        );

    private IReadOnlyList<PointerHistory> HistoryIfKnown()
    {
        try
        {
            return History();
        }
        catch (Fault)
        {
            return [];
        }
    }
}

/// <summary>Turns counters into progress with a rate over the last seconds.</summary>
internal sealed class ProgressMeter : IDisposable
{
    private readonly Docket _docket;
    private readonly Step _step;
    private readonly TreeCounter _counter;
    private readonly IWatcher _watcher;
    private readonly TimeProvider _time;
    private readonly ITimer _timer;
    private readonly Queue<(long At, long Bytes)> _recent = new();

    public ProgressMeter(Docket docket, Step step, TreeCounter counter, IWatcher watcher, TimeProvider time)
    {
        (_docket, _step, _counter, _watcher, _time) = (docket, step, counter, watcher, time);
        _recent.Enqueue((time.GetTimestamp(), counter.Bytes.Bytes));
        _timer = time.CreateTimer(_ => Tick(), null, TimeSpan.Zero, TimeSpan.FromMilliseconds(500));
    }

    public void Dispose()
    {
        _timer.Dispose();
        Tick();
    }

    private void Tick()
    {
        lock (_recent)
        {
            var (now, bytes) = (_time.GetTimestamp(), _counter.Bytes.Bytes);
            _recent.Enqueue((now, bytes));
            while (_recent.Count > 10)
                _recent.Dequeue();
            var seconds = _time.GetElapsedTime(_recent.Peek().At, now).TotalSeconds;
            var rate = seconds > 0 ? (long)((bytes - _recent.Peek().Bytes) / seconds) : 0;
            double? left = rate > 0 ? Math.Max(0, _docket.DataBytes - bytes) / (double)rate : null;
            _watcher.Progressed(
                new Progress(
                    _docket.Id,
                    _docket.Relocation,
                    _step,
                    _counter.Files,
                    _docket.Files,
                    bytes,
                    _docket.DataBytes,
                    rate,
                    left,
                    _time.GetUtcNow()
                )
            );
        }
    }
}

/// <summary>A step: reads reality first, then does what is missing, so that it can be repeated after a crash at any operation (I5).</summary>
public interface IStep
{
    /// <summary>Which step this is.</summary>
    Step Name { get; }

    /// <summary>Does what is missing; its effects are durable on return.</summary>
    /// <exception cref="Fault">The docket cannot go on.</exception>
    void Perform(Work work);
}
