using System.Collections.Immutable;

namespace Furlough.Engine.Records;

/// <summary>
/// A fact that a step records in the journal before it acts on it, so that anyone who takes up the docket after a crash
/// knows it. The journal keeps one of each type and key; a later one replaces it.
/// </summary>
public abstract record StepRecord
{
    /// <summary>Tells records of one type apart; empty where there is one.</summary>
    public virtual string Key => "";
}

/// <summary>What the steps of one docket recorded. Immutable.</summary>
public sealed class StepRecordSet
{
    private readonly ImmutableDictionary<(Type Type, string Key), StepRecord> _records;

    private StepRecordSet(ImmutableDictionary<(Type Type, string Key), StepRecord> records) => _records = records;

    /// <summary>Nothing was recorded.</summary>
    public static StepRecordSet Empty { get; } = new(ImmutableDictionary<(Type Type, string Key), StepRecord>.Empty);

    /// <summary>All of them, in no particular sequence.</summary>
    public IEnumerable<StepRecord> All => _records.Values;

    /// <summary>The record of a type, or null.</summary>
    /// <param name="key">Which one, where a type has several.</param>
    public T? Find<T>(string key = "")
        where T : StepRecord => _records.GetValueOrDefault((typeof(T), key)) as T;

    /// <summary>Whether there is one.</summary>
    public bool Has<T>(string key = "")
        where T : StepRecord => _records.ContainsKey((typeof(T), key));

    /// <summary>The set with a record, instead of the one of the same type and key.</summary>
    public StepRecordSet With(StepRecord record) => new(_records.SetItem((record.GetType(), record.Key), record));

    /// <summary>The set without a record.</summary>
    public StepRecordSet Without(StepRecord record) => new(_records.Remove((record.GetType(), record.Key)));
}
