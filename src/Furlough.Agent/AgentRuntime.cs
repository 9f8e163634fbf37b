using System.Collections.Concurrent;
using System.Globalization;
using Furlough.Agent.Journal;
using Furlough.Engine;
using Furlough.Engine.Holds;
using Furlough.Engine.Ports;
using Furlough.Engine.Queue;
using Furlough.Engine.Records;
using Furlough.Model;
using Furlough.Protocol;

namespace Furlough.Agent;

/// <summary>What an agent is given at its start.</summary>
/// <param name="Code">The invite, needed once.</param>
/// <param name="MachineId">What the machine itself says it is; a changed one looks like a clone.</param>
public sealed record AgentOptions(string Name, string Room, string? Code, string MachineId)
{
    /// <summary>A little space for what a docket has to write on a full system volume; null for none.</summary>
    public SpaceReserve? Reserve { get; init; }

    /// <summary>Identity of this start of the machine.</summary>
    public string Boot { get; init; } = "";
}

/// <summary>The agent at work: takes dockets in, carries them out, and reports. Knows no operating system.</summary>
public sealed class AgentRuntime : IWatcher, IDisposable
{
    private static readonly TimeSpan LongestWait = TimeSpan.FromSeconds(25),
        LookAgain = TimeSpan.FromSeconds(2),
        SurveyEvery = TimeSpan.FromMinutes(30);

    /// <summary>A docket in which the agent died so often in a row is left alone.</summary>
    private const int MostDeaths = 3;

    /// <summary>So many relocations at the same time, if they need nothing of each other.</summary>
    private const int MostAtOnce = 4;

    private readonly ConcurrentDictionary<Guid, bool> _putAside = new();
    private readonly AgentOptions _options;
    private readonly AgentStore _store;
    private readonly SigningKey _key;
    private readonly AgentClient _client;
    private readonly ISurveyor _surveyor;
    private readonly ServiceLink _link;
    private readonly PermitKeeper _permits;
    private readonly KindKeeper _kinds;
    private readonly RelocationEngine _engine;
    private readonly SpaceReserve? _reserve;
    private readonly TimeProvider _time;
    private readonly Action<string> _log;
    private readonly Dispatcher _dispatcher;
    private readonly SemaphoreSlim _bulletinsCame = new(0),
        _surveyWanted = new(1);
    private readonly ConcurrentDictionary<Guid, Progress> _progress = new();
    private readonly SurveyRequest _surveyRequest = new();
    private AgentTrouble? _trouble;
    private TimeSpan _progressPause = TimeSpan.FromMilliseconds(700);

    /// <param name="surveyor">Looks at the machine.</param>
    /// <param name="http">Its base address is the service.</param>
    /// <param name="log">Takes one line for the log.</param>
    public AgentRuntime(
        AgentOptions options,
        AgentStore store,
        SigningKey key,
        IMachine machine,
        ISurveyor surveyor,
        HttpClient http,
        TimeProvider time,
        Action<string> log
    )
    {
        (_options, _store, _key, _surveyor, _time, _log) = (options, store, key, surveyor, time, log);
        _client = new AgentClient(http);
        _link = new ServiceLink(_client, store, key, options.MachineId, () => _bulletinsCame.Release());
        _permits = new PermitKeeper(_link, time);
        _kinds = new KindKeeper(_link, store, log);
        _reserve = options.Reserve;
        _engine = new RelocationEngine(machine, store, _permits, new ReceiptSigner(key), time);
        _dispatcher = new Dispatcher(Queue, () => OpenDockets(_store), TryCarryOut, Rest, LookAgain);
    }

    /// <summary>How many dockets the agent carries out side by side, and which.</summary>
    internal static DocketQueue Queue { get; } = new(MostAtOnce);

    /// <summary>The dockets that are to be carried out, in order.</summary>
    internal static IReadOnlyList<QueuedDocket> OpenDockets(AgentStore store) => store.Queue(MostDeaths);

    /// <summary>Nothing is between the first step that needs a permit and its end: whatever is under way can rest.</summary>
    internal bool MayBeReplaced => !_permits.HoldsAny;

    /// <inheritdoc/>
    public void Dispose()
    {
        _link.Dispose();
        _dispatcher.Dispose();
        _engine.Dispose();
        _bulletinsCame.Dispose();
        _surveyWanted.Dispose();
    }

    /// <summary>Introduces the machine to the service, once.</summary>
    /// <exception cref="ServiceException">The invite is not valid, or the service not reachable.</exception>
    public async Task EnrolAsync(CancellationToken stop)
    {
        if (_store.Setting("machine") is not null && _options.Code is null)
            return;
        var code = _options.Code
            ?? throw new ServiceException(
                0,
                "not-enrolled",
                "This agent is not enrolled yet.",
                "Start it once with --code-file FILE and an invite from `furlough machine invite`.",
                null,
                null
            );
        if (code.Split('.') is not [_, var serviceKey])
            throw new ServiceException(
                0,
                "invite-malformed",
                "The invite is not complete.",
                "Copy the whole code from `furlough machine invite`.",
                null,
                null
            );
        EnrolResponse answer;
        try
        {
            answer = await _client.EnrolAsync(
                new EnrolRequest(
                    code,
                    _options.Name,
                    _options.Room,
                    _key.Public,
                    _options.MachineId,
                    ProtocolVersion.Newest
                ),
                stop
            );
        }
        catch (ServiceException needless) when (_store.Setting("machine") is not null)
        {
            _log($"the invite was not needed: {needless.Message}");
            return;
        }
        if (answer.ServiceKey != serviceKey)
            throw new ServiceException(
                0,
                "service-not-inviting",
                "The service at this address is not the one that made the invite.",
                "Check the address.",
                null,
                null
            );
        if (_store.Setting("machine") is { } before)
        {
            GoOnAs(before, answer);
            return;
        }
        _store.SetSetting("service-key", answer.ServiceKey);
        _store.SetSetting("name", _options.Name);
        _store.GoOnAfter(answer.LastBulletin, answer.LastDocket);
        _store.SetSetting("machine", answer.Machine.ToString());
        _log($"enrolled as {_options.Name}");
    }

    /// <summary>
    /// An invite for an agent that has a journal: of use where the service was put back to a state in which it does not
    /// know this machine. Then it receives everything again.
    /// </summary>
    private void GoOnAs(string before, EnrolResponse answer)
    {
        if (answer.Machine.ToString() == before)
            return;
        if (answer.ServiceKey != _store.Setting("service-key"))
            throw new ServiceException(
                0,
                "enrolled-elsewhere",
                "This agent is enrolled with another service, and its journal is that one's.",
                "Start the agent without an invite, or with a data folder of its own.",
                null,
                null
            );
        _store.SetSetting("acknowledged", answer.LastBulletin.ToString(CultureInfo.InvariantCulture));
        _store.SetSetting("machine", answer.Machine.ToString());
        _log($"enrolled again as {_options.Name}: the service did not know this machine any more");
    }

    /// <summary>
    /// Reads what the journal holds and has the service answer; nothing is carried out. Returns when the service has
    /// answered.
    /// </summary>
    /// <exception cref="FormatException">What is recorded of a docket cannot be read.</exception>
    public async Task ReportHealthyAsync(CancellationToken stop)
    {
        foreach (var (docket, _) in _store.Dockets())
            _store.Read(docket.Id);
        var answered = false;
        while (!answered)
        {
            try
            {
                await _link.CallAsync((client, token, s) => client.BulletinsAsync(token, [], hasMore: false, s), stop);
                answered = true;
            }
            catch (ServiceException away)
            {
                _log($"{away.Code}: {away.Message}");
                await Task.Delay(TimeSpan.FromSeconds(5), _time, stop);
            }
        }
    }

    /// <summary>Works until stopped; whatever is cut short is taken up at the next start.</summary>
    public async Task RunAsync(CancellationToken stop)
    {
        using var failing = CancellationTokenSource.CreateLinkedTokenSource(stop);
        Task[] all =
        [
            Thread(() => Work(failing.Token)),
            Repeat(TakeDocketsAsync, failing.Token),
            Repeat(HandInBulletinsAsync, failing.Token),
            Repeat(HandInProgressAsync, failing.Token),
            Repeat(HandInSurveyAsync, failing.Token),
        ];
        try
        {
            await await Task.WhenAny(all);
        }
        finally
        {
            await failing.CancelAsync();
            try
            {
                await Task.WhenAll(all);
            }
            catch (OperationCanceledException) { }
        }
    }

    /// <inheritdoc/>
    public void Changed(RelocationChange change)
    {
        _store.Add(change, _time.GetUtcNow());
        _bulletinsCame.Release();
        _log(Line(change));
    }

    private static string Line(RelocationChange change)
    {
        var number = change.Docket.Relocation.ToString(CultureInfo.InvariantCulture);
        var called = change.Docket.Correlation is { } correlation ? $"({correlation})" : null;
        string?[] parts =
        [
            "relocation",
            number,
            change.State.Word(),
            change.Step?.Word(),
            change.Failure?.Text,
            called,
        ];
        return string.Join(' ', parts.Where(p => !string.IsNullOrEmpty(p)));
    }

    /// <inheritdoc/>
    public void Met(Docket docket, Exception defect) => _log($"relocation {docket.Relocation} met {defect}");

    /// <inheritdoc/>
    public void Progressed(Progress progress) => _progress[progress.Docket] = progress;

    private void Work(CancellationToken stop)
    {
        while (!TryCountDeaths())
            if (stop.WaitHandle.WaitOne(LookAgain))
                stop.ThrowIfCancellationRequested();
        _dispatcher.Run(stop);
    }

    /// <summary>Before anything is carried out. A journal that cannot be written yet is no reason to end.</summary>
    private bool TryCountDeaths()
    {
        try
        {
            _store.CountDeaths(_options.Boot);
            return true;
        }
        catch (JournalException unwritable)
        {
            Note(unwritable);
            return false;
        }
    }

    /// <summary>Carries a docket out as far as it goes now.</summary>
    /// <returns>Whether it has ended; else it has to wait.</returns>
    private bool TryCarryOut(Docket docket, CancellationToken stop)
    {
        _reserve?.Release();
        try
        {
            var reached = CarryOut(docket, stop);
            _permits.Release(docket.Id);
            return reached != RelocationState.Waiting;
        }
        catch (JournalException unwritable)
        {
            // As if the process had died at this moment: its journal says how far it came, and it is taken up again.
            Note(unwritable);
            return false;
        }
    }

    /// <summary>Nothing is under way.</summary>
    private void Rest()
    {
        _reserve?.Keep();
        _surveyWanted.Release();
    }

    /// <summary>Carries a docket out, unless the agent has died in it again and again.</summary>
    private RelocationState CarryOut(Docket docket, CancellationToken stop)
    {
        if (_permits.WishOf(docket.Id) == Wish.BackOut)
            _store.Forgive(docket.Id);
        var deaths = _store.Enter(docket.Id, _options.Boot);
        try
        {
            if (deaths < MostDeaths)
                return _engine.Run(docket, this, stop);
            if (_putAside.TryAdd(docket.Id, true))
                TellPutAside(docket, deaths);
            return RelocationState.Waiting;
        }
        finally
        {
            _store.Leave(docket.Id);
        }
    }

    private void TellPutAside(Docket docket, int deaths)
    {
        var account = docket.Holding.Account;
        var failure = new Failure(
            "agent-died",
            $"The agent ended {deaths} times in a row while it worked on this docket, so the docket is put aside and the others go on.",
            "The data lives where its settings lead.",
            "Look at the agent's log and the system's. Restart the machine to have it tried again."
        )
        {
            Next = NextStep.BackOut,
            Relocation = docket.Relocation,
            LockedOut = DocketHolds.KeepOut(_store.Read(docket.Id)) ? docket.Holding.Account : null,
        };
        Changed(new RelocationChange(docket, RelocationState.Waiting, null, Live.Unknown, failure, [], null, []));
    }

    /// <summary>The journal cannot be written: nothing is begun, and the service learns why.</summary>
    private void Note(JournalException unwritable)
    {
        _trouble = unwritable.IsFull ? AgentTrouble.DataFolderFull : AgentTrouble.DataFolderUnwritable;
        _log($"{_trouble.Value.Word()}: {unwritable.Message}");
        _reserve?.Release();
    }

    private static Task Thread(Action work) =>
        Task.Factory.StartNew(work, CancellationToken.None, TaskCreationOptions.LongRunning, TaskScheduler.Default);

    private async Task TakeDocketsAsync(CancellationToken stop)
    {
        var trouble = _trouble;
        var batch = await _link.CallAsync(
            (client, token, s) =>
                client.DocketsAsync(
                    token,
                    _store.LastDocket,
                    _permits.Wishes,
                    _kinds.Tag,
                    trouble is null ? LongestWait : TimeSpan.Zero,
                    trouble,
                    s
                ),
            stop
        );
        _store.SetSetting("last-contact", _time.GetUtcNow().ToString("u", CultureInfo.InvariantCulture));
        _trouble = null;
        // Known before the dockets are: one that shall rest is not begun.
        _permits.Wishes = batch.Wishes;
        foreach (var envelope in batch.Dockets)
        {
            try
            {
                _store.Add(
                    envelope.Number,
                    DocketCheck.Open(
                        _link.ServiceKey,
                        envelope.Docket,
                        _link.Machine,
                        _time.GetUtcNow(),
                        _store.Supersession
                    ),
                    envelope.Docket
                );
            }
            catch (SignatureException refused)
            {
                _log($"docket {envelope.Number} not accepted: {refused.Message}");
                _store.Refused(_time.GetUtcNow(), refused.Message);
                if (refused.Authentic is { } docket)
                    TellRefused(docket, refused.Message);
            }
            _store.Passed(envelope.Number);
        }
        if (batch.Dockets.Count > 0)
            _dispatcher.Wake();
        if (batch.Kinds is { } kinds && _kinds.Take(kinds))
            _surveyWanted.Release();
        await Task.Run(() => _permits.Renew(stop), stop);
        if (batch.SurveyRequest is not { } request)
            return;
        // The service goes on asking until it has the survey, which may take a while.
        if (_surveyRequest.Heard(request))
            _surveyWanted.Release();
        await Task.Delay(TimeSpan.FromSeconds(1), _time, stop);
    }

    private void TellRefused(Docket docket, string why) =>
        Changed(
            new RelocationChange(
                docket,
                RelocationState.Refused,
                null,
                Live.Unknown,
                new Failure(
                    "docket-refused",
                    $"The machine did not accept the docket: {why}",
                    "Nothing has changed; the data lives where it did.",
                    "Check the clocks."
                )
                {
                    Next = NextStep.Retry,
                    Relocation = docket.Relocation,
                },
                [],
                null,
                []
            )
        );

    private async Task HandInBulletinsAsync(CancellationToken stop)
    {
        var bulletins = _store.BulletinsAfter(_link.Acknowledged, 100);
        if (bulletins.Count == 0)
        {
            await _bulletinsCame.WaitAsync(stop);
            return;
        }
        var receipt = await _link.CallAsync(
            (client, token, s) => client.BulletinsAsync(token, bulletins, hasMore: true, s),
            stop
        );
        if (receipt.Wanted is { } wanted)
            receipt = await HandInDocketAsync(wanted, receipt.Acknowledged, stop);
        _link.SetAcknowledged(receipt.Acknowledged);
    }

    /// <summary>
    /// The service was put back to a state in which it does not know a docket: it gets it again, and then what was
    /// reported about it; without it that is only written down there.
    /// </summary>
    private Task<BulletinReceipt> HandInDocketAsync(Guid wanted, long acknowledged, CancellationToken stop) =>
        _link.CallAsync(
            async (client, token, s) =>
            {
                if (_store.Signed(wanted) is { } signed)
                    await client.KnownDocketsAsync(token, [signed], all: false, s);
                return await client.BulletinsAsync(token, _store.BulletinsAfter(acknowledged, 1), hasMore: false, s);
            },
            stop
        );

    private async Task HandInProgressAsync(CancellationToken stop)
    {
        await Task.Delay(_progressPause, _time, stop);
        foreach (var docket in _progress.Keys)
            if (_progress.TryRemove(docket, out var progress))
                _progressPause = (
                    await _link.CallAsync((client, token, s) => client.ProgressAsync(token, progress, s), stop)
                ).Pause;
    }

    private async Task HandInSurveyAsync(CancellationToken stop)
    {
        await _surveyWanted.WaitAsync(SurveyEvery, stop);
        while (await _surveyWanted.WaitAsync(0, stop)) { }
        var request = _surveyRequest.Begin();
        try
        {
            var survey = await Task.Run(
                () => _surveyor.Take(_kinds.Cards, _store.Originals(), _store.Knows, stop),
                stop
            );
            _store.KeepSpace(survey);
            var whole = survey with { SentAt = _time.GetUtcNow(), Request = request, Past = _store.Space() };
            await _link.CallAsync<object?>(
                async (client, token, s) =>
                {
                    await client.SurveyAsync(token, whole, s);
                    return null;
                },
                stop
            );
            _store.ForgetSpace(survey.TakenAt);
        }
        catch (ServiceException)
        {
            _surveyWanted.Release();
            throw;
        }
        finally
        {
            _surveyRequest.End();
        }
    }

    /// <summary>Repeats a call to the service; pauses with jitter while the service is away.</summary>
    private async Task Repeat(Func<CancellationToken, Task> call, CancellationToken stop)
    {
        var pause = TimeSpan.FromMilliseconds(500);
        while (!stop.IsCancellationRequested)
        {
            try
            {
                await call(stop);
                pause = TimeSpan.FromMilliseconds(500);
            }
            catch (Exception away) when (away is not (Fault or OperationCanceledException))
            {
                // What nobody foresaw may pass too; an agent that has ended does not come back automatically.
                if (away is JournalException unwritable)
                    Note(unwritable);
                else
                    _log(away is ServiceException told ? $"{told.Code}: {told.Message}" : $"unforeseen: {away}");
                await Task.Delay(pause * (0.5 + Random.Shared.NextDouble()), _time, stop);
                pause = pause < TimeSpan.FromSeconds(10) ? pause * 2 : pause;
            }
            catch (Fault fault)
            {
                _log($"{fault.Kind.Code}: {fault.Message}");
                await Task.Delay(TimeSpan.FromSeconds(10), _time, stop);
            }
        }
    }
}
