using Furlough.Engine.Holds;
using Furlough.Engine.Methods;
using Furlough.Engine.Originals;
using Furlough.Engine.Ports;
using Furlough.Engine.Queue;
using Furlough.Engine.Records;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Engine.Context;

/// <summary>What the steps of one docket share.</summary>
public sealed class StepContext
{
    private readonly Pace _pace;

    /// <summary>The context of a docket.</summary>
    internal StepContext(Docket docket, EngineParts engine, IWatcher watcher, CancellationToken stop)
    {
        (Docket, Machine, Signer, Time, Stop) = (docket, engine.Machine, engine.Signer, engine.Time, stop);
        (Desk, Writes, Space) = (engine.Desk, engine.Watches.Of(docket.Id), engine.Space);
        List<string> notes = [];
        Journal = new DocketJournal(engine.Journal, docket.Id);
        Places = new DocketPlaces(docket, Machine, Journal);
        Settings = new DocketSettings(docket, Machine, Journal, notes.Add);
        Live = new LivePlace(docket, new LiveBySettings(docket, Machine, Settings), Journal, Places);
        Report = new DocketReport(docket, Live, Settings, notes, watcher, Time);
        Holds = new DocketHolds(this);
        _pace = new Pace(docket, engine.Permits, () => !Journal.IsDone(Step.Quiesce), Time, stop);
    }

    /// <summary>The docket.</summary>
    public Docket Docket { get; }

    /// <summary>The machine's ports.</summary>
    public IMachine Machine { get; }

    /// <summary>The docket's journal.</summary>
    public DocketJournal Journal { get; }

    /// <summary>Its volumes and folders.</summary>
    public DocketPlaces Places { get; }

    /// <summary>Its settings.</summary>
    public DocketSettings Settings { get; }

    /// <summary>Where its holding lives.</summary>
    public LivePlace Live { get; }

    /// <summary>What keeps it from being written while it is switched.</summary>
    public DocketHolds Holds { get; }

    /// <summary>What is reported about it.</summary>
    public DocketReport Report { get; }

    /// <summary>The people at the machine.</summary>
    public Desk Desk { get; }

    /// <summary>What is written in the source.</summary>
    internal WriteWatches.DocketWrites Writes { get; }

    /// <summary>The room that dockets count on.</summary>
    internal SpaceLedger Space { get; }

    /// <summary>Signs receipts.</summary>
    public IReceiptSigner Signer { get; }

    /// <summary>The clock.</summary>
    public TimeProvider Time { get; }

    /// <summary>Stops the work at the next safe point; it goes on after a restart.</summary>
    public CancellationToken Stop { get; }

    /// <summary>How the docket is carried out, as far as its steps have decided that.</summary>
    public Procedure Procedure => Procedures.Of(Docket, Journal.Records);

    /// <summary>Where the source is kept when the work is done; null where nothing of it is kept.</summary>
    public IOriginals? Originals => Journal.Records.Has<NothingAtSource>() ? null : Procedure.Originals;

    /// <summary>
    /// What the list of the source is called in the folder beside the target: a copy is equal to its source and has one
    /// list; what was adopted by a receipt is not.
    /// </summary>
    public string ListOfSource => Docket.Adoption is null ? Layout.Manifest : Layout.SourceManifest;

    /// <summary>Counts at the docket's pace.</summary>
    public TreeCounter Counter() => new(_pace.Pass);

    /// <summary>Stops the work where the service wishes it.</summary>
    public void Heed() => _pace.Heed();

    /// <summary>Lets time pass, unless the work is stopped.</summary>
    public void Delay(TimeSpan length) => Task.Delay(length, Time, Stop).GetAwaiter().GetResult();
}

/// <summary>What an engine has for all its dockets.</summary>
internal sealed record EngineParts(
    IMachine Machine,
    IJournal Journal,
    IPermits Permits,
    IReceiptSigner Signer,
    Desk Desk,
    WriteWatches Watches,
    SpaceLedger Space,
    TimeProvider Time
);
