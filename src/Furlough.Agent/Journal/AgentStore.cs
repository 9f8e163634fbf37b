using System.Globalization;
using System.Text.Json;
using Furlough.Engine.Ports;
using Furlough.Engine.Queue;
using Furlough.Engine.Records;
using Furlough.Model;
using Microsoft.Data.Sqlite;

namespace Furlough.Agent.Journal;

/// <summary>
/// What the agent must not forget: dockets, the engine's journal, bulletins and originals. One file, every write
/// durable on return.
/// </summary>
public sealed class AgentStore : IJournal, IDisposable
{
    private readonly Lock _lock = new();
    private readonly SqliteConnection _connection;

    /// <param name="path">The file; made when missing.</param>
    /// <param name="durable">False only for stand-ins: their world does not outlive a power cut either.</param>
    /// <param name="takesOver">A file of an earlier version becomes one of this version, which the earlier one cannot
    /// read.</param>
    /// <exception cref="FormatException">Another version wrote the file. It is as it was.</exception>
    public AgentStore(string path, bool durable = true, bool takesOver = false)
    {
        _connection = new SqliteConnection(
            new SqliteConnectionStringBuilder { DataSource = path, Pooling = false }.ToString()
        );
        _connection.Open();
        Execute($"PRAGMA journal_mode=WAL; PRAGMA synchronous={(durable ? "FULL" : "OFF")}; PRAGMA busy_timeout=5000;");
        Schema.Prepare(_connection, takesOver);
    }

    /// <inheritdoc/>
    public void Dispose() => _connection.Dispose();

    /// <summary>A setting, or null.</summary>
    public string? Setting(string key) =>
        Query("SELECT value FROM setting WHERE key=$a", r => r.GetString(0), key).FirstOrDefault();

    /// <summary>Keeps a setting.</summary>
    public void SetSetting(string key, string value) =>
        Execute("INSERT INTO setting VALUES ($a,$b) ON CONFLICT(key) DO UPDATE SET value=$b", key, value);

    /// <summary>The highest docket number taken in.</summary>
    public long LastDocket => Count("last-docket");

    /// <summary>
    /// The machine was known to the service before: bulletins and dockets are numbered on from these.
    /// </summary>
    public void GoOnAfter(long bulletin, long docket)
    {
        SetSetting("bulletins-before", bulletin.ToString(CultureInfo.InvariantCulture));
        SetSetting("acknowledged", bulletin.ToString(CultureInfo.InvariantCulture));
        Passed(docket);
    }

    private long Count(string key) => long.Parse(Setting(key) ?? "0", CultureInfo.InvariantCulture);

    /// <summary>The highest supersession counter taken in for a relocation.</summary>
    public int Supersession(long relocation) =>
        Query(
                "SELECT max(supersession) FROM docket WHERE relocation=$a",
                r => r.IsDBNull(0) ? 0 : r.GetInt32(0),
                relocation
            )
            .First();

    /// <summary>The highest supersession counter of any docket.</summary>
    public int HighestSupersession =>
        Query("SELECT coalesce(max(supersession),0) FROM docket", r => r.GetInt32(0)).First();

    /// <summary>Takes a docket in.</summary>
    /// <param name="signed">The message that brought it.</param>
    public void Add(long number, Docket docket, string signed) =>
        Execute(
            "INSERT INTO docket (number,id,relocation,supersession,body,signed) VALUES ($a,$b,$c,$d,$e,$f) ON CONFLICT DO NOTHING",
            number,
            docket.Id.ToString(),
            docket.Relocation,
            docket.Supersession,
            JsonSerializer.Serialize(docket, ModelJson.Default.Docket),
            signed
        );

    /// <summary>A docket as the service signed it; null where it is not known, or from before that was kept.</summary>
    public string? Signed(Guid docket) =>
        Query("SELECT signed FROM docket WHERE id=$a", r => Text(r, 0), docket.ToString()).FirstOrDefault()
            is { Length: > 0 } signed
            ? signed
            : null;

    /// <summary>The dockets after a number, as the service signed them, in order.</summary>
    public IReadOnlyList<string> SignedAfter(long number) =>
        Query(
            "SELECT signed FROM docket WHERE number>$a AND length(signed)>0 ORDER BY number",
            r => r.GetString(0),
            number
        );

    /// <summary>Moves the cursor past a docket number.</summary>
    public void Passed(long number) => SetSetting("last-docket", number.ToString(CultureInfo.InvariantCulture));

    /// <summary>
    /// The dockets that are to be carried out: those that are begun before those that are not, else by number.
    /// </summary>
    /// <param name="mostDeaths">So often in a row the agent may die in a docket before it is left alone.</param>
    public IReadOnlyList<QueuedDocket> Queue(int mostDeaths) =>
        Query(
            """
            SELECT body, deaths, EXISTS (SELECT 1 FROM done WHERE docket=docket.id AND step=$a)
            FROM docket WHERE ended IS NULL AND number>0 ORDER BY begun IS NULL, number
            """,
            r => new QueuedDocket(JsonSerializer.Deserialize(r.GetString(0), ModelJson.Default.Docket)!)
            {
                Alone = r.GetInt32(1) is var deaths && deaths > 0 && deaths < mostDeaths,
                IsCopied = r.GetBoolean(2),
            },
            Step.Copy.Word()
        );

    /// <summary>The dockets that are being carried out now, or were when the agent died.</summary>
    public IReadOnlySet<Guid> UnderWay() =>
        Query("SELECT id FROM docket WHERE working IS NOT NULL AND ended IS NULL", r => Guid.Parse(r.GetString(0)))
            .ToHashSet();

    /// <summary>The dockets that have begun and not ended, and so may have changed something.</summary>
    public IReadOnlyList<Docket> Begun() =>
        Query("SELECT body FROM docket WHERE begun IS NOT NULL AND ended IS NULL ORDER BY number", r =>
            JsonSerializer.Deserialize(r.GetString(0), ModelJson.Default.Docket)!
        );

    /// <summary>Accounts that dockets under way may keep out.</summary>
    public IReadOnlySet<string> AccountsAtWork() =>
        Open()
            .Concat(DeskDockets())
            .Where(d => d.Work.MovesHolding() && !d.Holding.IsShared)
            .Select(d => d.Holding.Account)
            .ToHashSet(StringComparer.Ordinal);

    /// <summary>
    /// Takes in a docket that was made at the machine itself. Only the command that made it carries it out.
    /// </summary>
    public void AddAtDesk(Docket docket) =>
        Add(Query("SELECT min(0, coalesce(min(number),0)) - 1 FROM docket", r => r.GetInt64(0)).First(), docket, "");

    /// <summary>Dockets that were made at the machine itself and are not done.</summary>
    public IReadOnlyList<Docket> DeskDockets() =>
        Query("SELECT body FROM docket WHERE ended IS NULL AND number<0", r =>
            JsonSerializer.Deserialize(r.GetString(0), ModelJson.Default.Docket)!
        );

    private IEnumerable<Docket> Open() =>
        Query("SELECT body FROM docket WHERE ended IS NULL AND number>0 ORDER BY begun IS NULL, number", r =>
            JsonSerializer.Deserialize(r.GetString(0), ModelJson.Default.Docket)!
        );

    /// <summary>At the agent's start: in every docket that was being carried out the agent may have died.</summary>
    /// <param name="boot">Identity of this start of the machine: whatever was cut short by a restart of the machine is
    /// nobody's fault.</param>
    public void CountDeaths(string boot) =>
        Execute(
            """
            UPDATE docket SET deaths = CASE WHEN working=$a THEN deaths+1 ELSE 0 END, working = NULL
            WHERE working IS NOT NULL
            """,
            boot
        );

    /// <summary>Work on a docket begins. Until <see cref="Leave"/> an agent that ends has died in it.</summary>
    /// <param name="boot">Identity of this start of the machine.</param>
    /// <returns>How often in a row the agent has died while it was under way and finished no step.</returns>
    public int Enter(Guid docket, string boot) =>
        Guarded(() =>
        {
            var id = docket.ToString();
            Execute("UPDATE docket SET working=$b WHERE id=$a", id, boot);
            return Query("SELECT deaths FROM docket WHERE id=$a", r => r.GetInt32(0), id).FirstOrDefault();
        });

    /// <summary>Work on a docket rests, for whatever reason but the agent's death.</summary>
    public void Leave(Guid docket) => Execute("UPDATE docket SET working=NULL WHERE id=$a", docket.ToString());

    /// <summary>A docket gets another try.</summary>
    public void Forgive(Guid docket) => Execute("UPDATE docket SET deaths=0 WHERE id=$a", docket.ToString());

    /// <summary>All dockets with their last bulletin, oldest first.</summary>
    public IReadOnlyList<(Docket Docket, Bulletin? Last)> Dockets() =>
        Query(
            "SELECT d.body, (SELECT b.body FROM bulletin b WHERE b.docket=d.id ORDER BY b.number DESC LIMIT 1) "
                + "FROM docket d ORDER BY d.number",
            r =>
                (
                    JsonSerializer.Deserialize(r.GetString(0), ModelJson.Default.Docket)!,
                    r.IsDBNull(1) ? null : JsonSerializer.Deserialize(r.GetString(1), ModelJson.Default.Bulletin)
                )
        );

    /// <summary>
    /// Numbers a change and keeps it until the service has it; keeps or forgets originals accordingly.
    /// </summary>
    public void Add(RelocationChange change, DateTimeOffset at) =>
        Guarded(() =>
        {
            using var transaction = _connection.BeginTransaction();
            AddBulletin(change, at);
            KeepOriginals(change);
            transaction.Commit();
            return true;
        });

    private void AddBulletin(RelocationChange change, DateTimeOffset at)
    {
        var highest = Query("SELECT coalesce(max(number),0) FROM bulletin", r => r.GetInt64(0)).First();
        var number = 1 + Math.Max(highest, Count("bulletins-before"));
        var bulletin = new Bulletin(
            number,
            at,
            change.Docket.Id,
            change.Docket.Relocation,
            change.State,
            change.Step,
            change.Live,
            change.Failure,
            change.Pointers,
            change.Original,
            change.Notes
        )
        {
            Times = change.Times,
            LiveAgain = change.LiveAgain,
        };
        Execute(
            "INSERT INTO bulletin VALUES ($a,$b,$c)",
            number,
            change.Docket.Id.ToString(),
            JsonSerializer.Serialize(bulletin, ModelJson.Default.Bulletin)
        );
    }

    /// <summary>Keeps an original that was set aside, and forgets one that was discarded or lives again.</summary>
    private void KeepOriginals(RelocationChange change)
    {
        if (change.Original is { } original)
            Execute(
                "INSERT INTO original VALUES ($a,$b) ON CONFLICT DO NOTHING",
                original.Docket.ToString(),
                JsonSerializer.Serialize(original, ModelJson.Default.OriginalFacts)
            );
        List<Guid> gone = [];
        if (change.LiveAgain is { } back)
            gone.Add(back);
        if (change is { Docket.Work: DocketWork.Discard, State: RelocationState.Finished })
            gone.AddRange(change.Docket.Originals);
        // Fallen back at the machine itself: its original is live again.
        if (change is { Docket.Work: DocketWork.Relocate, State: RelocationState.Returned })
            gone.Add(change.Docket.Id);
        foreach (var docket in gone)
            Execute("DELETE FROM original WHERE docket=$a", docket.ToString());
    }

    /// <summary>Bulletins after a number.</summary>
    public IReadOnlyList<Bulletin> BulletinsAfter(long number, int most) =>
        Query(
            "SELECT body FROM bulletin WHERE number>$a ORDER BY number LIMIT $b",
            r => JsonSerializer.Deserialize(r.GetString(0), ModelJson.Default.Bulletin)!,
            number,
            most
        );

    /// <summary>The highest bulletin number.</summary>
    public long LastBulletin =>
        Math.Max(
            Count("bulletins-before"),
            Query("SELECT coalesce(max(number),0) FROM bulletin", r => r.GetInt64(0)).First()
        );

    /// <inheritdoc/>
    public bool WasAt(HoldingName holding, Place place) =>
        Query("SELECT body FROM docket WHERE ended IN ('switched','finished','returned')", r =>
                JsonSerializer.Deserialize(r.GetString(0), ModelJson.Default.Docket)!
            )
            .Any(d => d.Holding == holding && d.Work.MovesHolding() && (d.Source == place || d.Target == place));

    /// <inheritdoc/>
    public bool HadValue(PointerAddress address, PointerValue value) =>
        Query("SELECT body FROM docket WHERE ended IN ('switched','finished','returned')", r =>
                JsonSerializer.Deserialize(r.GetString(0), ModelJson.Default.Docket)!
            )
            .Any(d =>
                d.Work.MovesHolding()
                && d.Pointers.Any(p => p.Address.IsSameSetting(address) && (p.Expected == value || p.Next == value))
            )
        // What a program wrote at its first start no docket could say.
        || Query(
                $"""
                SELECT record.kind, record.body FROM record JOIN docket ON docket.id = record.docket
                WHERE docket.ended IN ('switched','finished','returned') AND record.kind IN ('{string.Join(
                    "','",
                    StepRecordFormat.OfSettings
                )}')
                """,
                r => StepRecordFormat.Read(r.GetString(0), r.GetString(1))
            )
            .Any(r => StepRecordFormat.IsValueOf(r, address, value));

    /// <inheritdoc/>
    public IReadOnlyList<OpenClaim> ClaimsBeside(Guid docket) =>
        Query(
            """
            SELECT record.body, EXISTS (SELECT 1 FROM done WHERE done.docket=record.docket AND step=$c)
            FROM record JOIN docket ON docket.id = record.docket
            WHERE docket.ended IS NULL AND docket.id<>$a AND record.kind=$b
            """,
            r => new OpenClaim(
                (TargetClaim)StepRecordFormat.Read(StepRecordFormat.OfClaims, r.GetString(0)),
                r.GetBoolean(1)
            ),
            docket.ToString(),
            StepRecordFormat.OfClaims,
            Step.Copy.Word()
        );

    /// <summary>Whether a docket was ever taken in.</summary>
    public bool Knows(Guid docket) =>
        Query("SELECT 1 FROM docket WHERE id=$a", r => r.GetInt32(0), docket.ToString()).Count > 0;

    /// <summary>Originals that wait on this machine.</summary>
    public IReadOnlyList<OriginalFacts> Originals() =>
        Query("SELECT body FROM original", r =>
            JsonSerializer.Deserialize(r.GetString(0), ModelJson.Default.OriginalFacts)!
        );

    /// <summary>
    /// Remembers what volumes hold until the service knows it; the oldest go when the service stays away for months.
    /// </summary>
    public void KeepSpace(Survey survey)
    {
        const int most = 10_000;
        foreach (var sample in survey.Samples())
            Execute(
                "INSERT INTO space VALUES ($a,$b,$c) ON CONFLICT DO NOTHING",
                sample.At.UtcTicks,
                sample.Volume,
                sample.UsedBytes
            );
        Execute("DELETE FROM space WHERE rowid NOT IN (SELECT rowid FROM space ORDER BY at DESC LIMIT $a)", most);
    }

    /// <summary>What the service does not know yet of what volumes held.</summary>
    public IReadOnlyList<VolumeSample> Space() =>
        Query("SELECT volume, at, used FROM space ORDER BY at", r => new VolumeSample(
            r.GetString(0),
            new DateTimeOffset(r.GetInt64(1), TimeSpan.Zero),
            r.GetInt64(2)
        ));

    /// <summary>The service knows it up to a time.</summary>
    public void ForgetSpace(DateTimeOffset upTo) => Execute("DELETE FROM space WHERE at<=$a", upTo.UtcTicks);

    /// <summary>A docket was not accepted.</summary>
    public void Refused(DateTimeOffset at, string text) =>
        Execute("INSERT INTO refusal VALUES ($a,$b)", at.ToString("u", CultureInfo.InvariantCulture), text);

    /// <summary>Dockets that were not accepted: when and why.</summary>
    public IReadOnlyList<(string At, string Text)> Refusals() =>
        Query("SELECT at, text FROM refusal ORDER BY at", r => (r.GetString(0), r.GetString(1)));

    /// <inheritdoc/>
    public JournalState Read(Guid docket)
    {
        var id = docket.ToString();
        var row = Query(
                "SELECT begun, undoing, ended FROM docket WHERE id=$a",
                r => (Text(r, 0), Text(r, 1), Text(r, 2)),
                id
            )
            .FirstOrDefault();
        var done = Query("SELECT step FROM done WHERE docket=$a", r => Words.Find<Step>(r.GetString(0))!.Value, id)
            .ToHashSet();
        var records = Query(
                "SELECT kind, body FROM record WHERE docket=$a",
                r => StepRecordFormat.Read(r.GetString(0), r.GetString(1)),
                id
            )
            .Aggregate(StepRecordSet.Empty, (set, record) => set.With(record));
        return new JournalState(
            row.Item1 is { } b ? Words.Find<Step>(b) : null,
            done,
            records,
            row.Item2 is { } u ? JsonSerializer.Deserialize(u, ModelJson.Default.Failure) : null,
            row.Item3 is { } e ? Words.Find<RelocationState>(e) : null
        );
    }

    /// <inheritdoc/>
    public void Begin(Guid docket, Step step) =>
        Execute("UPDATE docket SET begun=$b WHERE id=$a", docket.ToString(), step.Word());

    /// <inheritdoc/>
    public void Done(Guid docket, Step step)
    {
        Execute("INSERT INTO done VALUES ($a,$b) ON CONFLICT DO NOTHING", docket.ToString(), step.Word());
        Forgive(docket);
    }

    /// <inheritdoc/>
    public void Record(Guid docket, StepRecord record)
    {
        var stored = StepRecordFormat.Store(record);
        Execute(
            "INSERT INTO record VALUES ($a,$b,$c,$d) ON CONFLICT(docket,kind,key) DO UPDATE SET body=$d",
            docket.ToString(),
            stored.Kind,
            stored.Key,
            stored.Body
        );
    }

    /// <inheritdoc/>
    public void Forget(Guid docket, StepRecord record)
    {
        var stored = StepRecordFormat.Store(record);
        Execute(
            "DELETE FROM record WHERE docket=$a AND kind=$b AND key=$c",
            docket.ToString(),
            stored.Kind,
            stored.Key
        );
    }

    /// <inheritdoc/>
    public void Undo(Guid docket, Failure cause) =>
        Execute(
            "UPDATE docket SET undoing=$b WHERE id=$a",
            docket.ToString(),
            JsonSerializer.Serialize(cause, ModelJson.Default.Failure)
        );

    /// <inheritdoc/>
    public void End(Guid docket, RelocationState state) =>
        Execute("UPDATE docket SET ended=$b WHERE id=$a", docket.ToString(), state.Word());

    private static string? Text(SqliteDataReader reader, int column) =>
        reader.IsDBNull(column) ? null : reader.GetString(column);

    private void Execute(string sql, params object[] values) =>
        Guarded(() =>
        {
            using var command = Command(sql, values);
            return command.ExecuteNonQuery();
        });

    private List<T> Query<T>(string sql, Func<SqliteDataReader, T> read, params object[] values) =>
        Guarded(() =>
        {
            using var command = Command(sql, values);
            using var reader = command.ExecuteReader();
            List<T> rows = [];
            while (reader.Read())
                rows.Add(read(reader));
            return rows;
        });

    /// <summary>One at a time.</summary>
    /// <exception cref="JournalException">The file cannot be read or written.</exception>
    private T Guarded<T>(Func<T> act)
    {
        const int full = 13;
        lock (_lock)
        {
            try
            {
                return act();
            }
            catch (SqliteException failed)
            {
                throw new JournalException(failed.Message, failed.SqliteErrorCode == full, failed);
            }
        }
    }

    private SqliteCommand Command(string sql, object[] values)
    {
        var command = _connection.CreateCommand();
#pragma warning disable CA2100 // Every text comes from this file; values are parameters.
        command.CommandText = sql;
#pragma warning restore CA2100
        for (var i = 0; i < values.Length; i++)
            command.Parameters.AddWithValue("$" + (char)('a' + i), values[i]);
        return command;
    }
}
