using System.Globalization;
using System.Text.RegularExpressions;
using Furlough.Model;
using Furlough.Planning.Plans;
using Furlough.Planning.Reading;

namespace Furlough.Planning.Briefs;

/// <summary>Which machines a brief means.</summary>
/// <param name="Rooms">Rooms; empty for all.</param>
/// <param name="Names">Name patterns with '*'; empty for all.</param>
/// <param name="Except">Name patterns of those left out.</param>
public sealed record MachineChoice(
    IReadOnlyList<string> Rooms,
    IReadOnlyList<string> Names,
    IReadOnlyList<string> Except
)
{
    /// <summary>What machines are for, in the words that technicians gave them; empty for all.</summary>
    public IReadOnlyList<string> Tags { get; init; } = [];

    /// <summary>Patterns of operating systems and their versions; empty for all.</summary>
    public IReadOnlyList<string> Systems { get; init; } = [];

    /// <summary>Only machines whose system volume has less free than this; null for all.</summary>
    public ReserveAmount? SystemFreeBelow { get; init; }

    /// <summary>Only machines that have a volume attached so besides the system volume; null for all.</summary>
    public Attachment? SecondVolume { get; init; }

    /// <summary>Whether a machine is meant. One without a survey is, unless the brief asks for facts.</summary>
    public bool Includes(FleetMachine machine) => Includes(machine.Name, machine.Room, machine.Tag, machine.Survey);

    private bool Includes(string name, string room, string? tag, Survey? survey) =>
        (Rooms.Count == 0 || Rooms.Contains(room, StringComparer.OrdinalIgnoreCase))
        && (Tags.Count == 0 || (tag is not null && Tags.Contains(tag, StringComparer.OrdinalIgnoreCase)))
        && (Names.Count == 0 || Names.Any(p => Pattern.Fits(p, name)))
        && !Except.Any(p => Pattern.Fits(p, name))
        && (Systems.Count == 0 || (survey is not null && Systems.Any(p => Pattern.Fits(p, survey.OperatingSystem))))
        && (
            SystemFreeBelow is not { } below
            || survey?.Volumes.FirstOrDefault(v => v.System) is { } system
                && system.FreeBytes < below.Of(system.SizeBytes)
        )
        && (SecondVolume is not { } attached || survey?.Volumes.Any(v => !v.System && v.Attached == attached) == true);
}

/// <summary>Which of several fitting volumes is taken.</summary>
public enum Preference
{
    Roomiest,
    Fastest,
}

/// <summary>A role that volumes fill by their facts.</summary>
/// <param name="Attached">How they may be attached; empty for any.</param>
/// <param name="System">Whether it must (true) or must not (false) be the system volume; null for either.</param>
public sealed record VolumeRole(
    string Name,
    IReadOnlyList<Attachment> Attached,
    bool? System,
    string? Label,
    Preference Prefer
)
{
    /// <summary>What it may be made of; empty for anything.</summary>
    public IReadOnlyList<Medium> Media { get; init; } = [];

    /// <summary>Whether it must be encrypted; null for either.</summary>
    public bool? Encrypted { get; init; }

    /// <summary>Only volumes with at least so much free, or with so large a share.</summary>
    public ReserveAmount? FreeAtLeast { get; init; }

    /// <summary>Where the brief describes it, from 1.</summary>
    public int Line { get; init; }

    /// <summary>The volume's own marker, UUID or serial; null for any.</summary>
    public string? Identity { get; init; }

    /// <summary>Whether every person's volume is another: its label or identity is said of people.</summary>
    public bool IsPersonal => Label?.Contains('{') == true || Identity?.Contains('{') == true;

    /// <summary>The volume of a machine that fills the role; null when none does.</summary>
    /// <param name="said">What the brief says of the person whose holding is meant; empty where nothing is
    /// said.</param>
    public VolumeFacts? Choose(Survey survey, IReadOnlyDictionary<string, string> said)
    {
        var (label, identity) = (Brief.Filled(Label, said), Brief.Filled(Identity, said));
        var fitting = survey.Volumes.Where(v =>
            Fits(v)
            && (label is null || Pattern.Fits(label, v.Label))
            && (identity is null || v.Identity.IsCalled(identity))
        );
        return Prefer == Preference.Fastest
            ? fitting.OrderBy(v => v.Medium == Medium.Rotating).ThenByDescending(v => v.FreeBytes).FirstOrDefault()
            : fitting.OrderByDescending(v => v.FreeBytes).FirstOrDefault();
    }

    private bool Fits(VolumeFacts v) =>
        v.Writable
        && v.Identity.Key.Length > 0
        && (Attached.Count == 0 || Attached.Contains(v.Attached))
        && (System is null || System == v.System)
        && (Media.Count == 0 || Media.Contains(v.Medium))
        && (Encrypted is null || Encrypted == v.Encrypted)
        && (FreeAtLeast is null || v.FreeBytes >= FreeAtLeast.Of(v.SizeBytes));
}

/// <summary>Whose holdings are meant.</summary>
/// <param name="Names">Named accounts; empty for all.</param>
public sealed record AccountChoice(IReadOnlyList<string> Names, bool ExceptFallback)
{
    /// <summary>Whether an account is meant.</summary>
    public bool Includes(AccountFacts account) =>
        Names.Count > 0 ? Names.Contains(account.Name, StringComparer.Ordinal) : !(ExceptFallback && account.Fallback);
}

/// <summary>One line of what is relocated.</summary>
/// <param name="Named">The names of what it means, by kind: user folders by their own, apps by names or patterns,
/// others as their kind cards call them.</param>
/// <param name="Method">Null: exchange within a volume, cold between volumes; of install paths only the settings
/// change.</param>
/// <param name="AdoptsExisting">What is at the target already becomes live there, if it is the holding's own.</param>
/// <param name="On">Name patterns of the machines that it is for; empty for all that the brief means.</param>
public sealed record RelocateItem(
    IReadOnlyDictionary<HoldingKind, IReadOnlyList<string>> Named,
    AccountChoice Accounts,
    string Onto,
    Template Path,
    Method? Method,
    bool AdoptsExisting,
    IReadOnlyList<string> On
)
{
    /// <summary>Only holdings of at least so many bytes.</summary>
    public long? AtLeastBytes { get; init; }

    /// <summary>Only holdings of at most so many bytes.</summary>
    public long? AtMostBytes { get; init; }

    /// <summary>How long originals are kept at least; null: as the brief says for all.</summary>
    public TimeSpan? Keep { get; init; }

    /// <summary>A link stays at the former place, for programs that know only the old path.</summary>
    public bool LeavesLink { get; init; }

    /// <summary>Someone is at the machine: each relocation is begun there manually.</summary>
    public bool Attended { get; init; }

    /// <summary>What people have to do before each relocation begins.</summary>
    public IReadOnlyList<ErrandKind> Beforehand { get; init; } = [];

    /// <summary>What people have to do after each relocation.</summary>
    public IReadOnlyList<ErrandKind> Afterwards { get; init; } = [];

    /// <summary>Relocations wait until a person has done something.</summary>
    public bool WaitsForPerson => Attended || Beforehand.Count > 0;

    /// <summary>Where it stands in the brief, from 1.</summary>
    public int Line { get; init; }

    /// <summary>Whether the line says the holding's name itself, and not only a pattern that fits it.</summary>
    public bool NamesOutright(HoldingName holding) =>
        Named.TryGetValue(holding.Kind, out var names)
        && names.Any(n => !n.Contains('*') && Pattern.Fits(n, holding.Name));

    /// <summary>The holdings of a machine that the line means.</summary>
    public IEnumerable<HoldingFacts> Of(string machine, Survey survey) =>
        On.Count > 0 && !On.Any(p => Pattern.Fits(p, machine))
            ? []
            : survey.Holdings.Where(h =>
                Named.TryGetValue(h.Name.Kind, out var names)
                && (
                    h.Name.Kind == HoldingKind.App
                        ? names.Any(n => Pattern.Fits(n, h.Name.Name))
                        : names.Contains(h.Name.Name)
                )
                && (h.Name.IsShared || Accounts.Includes(survey.AccountOf(h.Name)))
                && (AtLeastBytes is null || h.DataBytes >= AtLeastBytes)
                && (AtMostBytes is null || h.DataBytes <= AtMostBytes)
            );
}

/// <summary>Space to be left free: a share of the volume or bytes.</summary>
public sealed partial record ReserveAmount(double? Share, long? AmountBytes)
{
    /// <summary>Reads "20%", "50 GB"; null when it is neither.</summary>
    public static ReserveAmount? Find(string text)
    {
        var match = Spelling().Match(text);
        if (!match.Success)
            return null;
        var n = double.Parse(match.Groups[1].Value, CultureInfo.InvariantCulture);
        return match.Groups[2].Value switch
        {
            "%" => n > 100 ? null : new ReserveAmount(n / 100, null),
            "TB" => new ReserveAmount(null, (long)(n * 1e12)),
            "GB" => new ReserveAmount(null, (long)(n * 1e9)),
            _ => new ReserveAmount(null, (long)(n * 1e6)),
        };
    }

    [GeneratedRegex(@"^(\d{1,6}(?:\.\d+)?) ?(%|MB|GB|TB)$")]
    private static partial Regex Spelling();

    /// <summary>No reserve.</summary>
    public static ReserveAmount None { get; } = new(0, null);

    /// <summary>The reserve of a volume, in bytes.</summary>
    public long Of(long sizeBytes) => AmountBytes ?? (long)(Share!.Value * sizeBytes);
}

/// <summary>One wave: so many machines, a share of all, or (neither) the rest.</summary>
public sealed record WaveRule(string Name, int? Machines, double? Share);

/// <summary>How the work treats machines and people.</summary>
/// <param name="FilesInUseWait">How long files in use are waited for.</param>
/// <param name="KeepWaiting">Whether a relocation waits on after that; null: it does when its copy is made already
/// (warm) or nobody is locked out for it (setting), else it fails.</param>
public sealed record WorkRules(long? BytesPerSecond, bool GiveWay, TimeSpan FilesInUseWait, bool? KeepWaiting)
{
    /// <summary>At full speed; files in use are waited for two minutes.</summary>
    public static WorkRules Usual { get; } = new(null, false, TimeSpan.FromMinutes(2), null);

    /// <summary>People who are signed in are notified before they are locked out; null: they are not.</summary>
    public Telling? Telling { get; init; }

    /// <summary>
    /// The terms of a relocation of a holding. Nobody is locked out for a setting, nor for what belongs to no account.
    /// </summary>
    public Terms For(Method method, HoldingName holding) =>
        new(
            BytesPerSecond,
            GiveWay,
            method.MovesData() ? FilesInUseWait : TimeSpan.Zero,
            KeepWaiting ?? (method == Method.Warm || !method.MovesData())
        )
        {
            Telling = method.MovesData() && !holding.IsShared ? Telling : null,
        };
}

/// <summary>The technician's intention, read and checked.</summary>
public sealed record Brief(
    string Title,
    MachineChoice Machines,
    IReadOnlyDictionary<string, VolumeRole> Volumes,
    IReadOnlyList<RelocateItem> Relocate,
    TimeSpan Keep,
    ReserveAmount SystemReserve,
    ReserveAmount OtherReserve,
    IReadOnlyList<WaveRule> Waves,
    int? HaltAfter,
    WorkRules Work,
    string Text
)
{
    /// <summary>
    /// What the brief says of people, by account: names that paths may use, such as <c>family-name</c>, with their
    /// values.
    /// </summary>
    public IReadOnlyDictionary<string, IReadOnlyDictionary<string, string>> People { get; init; } =
        new Dictionary<string, IReadOnlyDictionary<string, string>>();

    /// <summary>The brief has a reserve of its own, whatever rooms have.</summary>
    public bool SaysReserve { get; init; }

    /// <summary>
    /// What is to be left free on a volume, in bytes: the brief's own reserve, else that of the machine's room or the
    /// fleet.
    /// </summary>
    public long ReserveOf(FleetMachine machine, VolumeFacts volume) =>
        !SaysReserve && machine.Reserves is { } said
            ? said.GetValueOrDefault(volume.Identity.Key)
            : (volume.System ? SystemReserve : OtherReserve).Of(volume.SizeBytes);

    /// <summary>
    /// What the brief says of an account, and its name as <c>account</c>; nothing of what all accounts share.
    /// </summary>
    public IReadOnlyDictionary<string, string> Of(string account) =>
        new Dictionary<string, string>(
            account.Length == 0
                ? []
                : [new("account", account), .. People.GetValueOrDefault(account) ?? new Dictionary<string, string>()]
        );

    /// <summary>
    /// A text with what is said of a person in the place of its names; those of which nothing is said stay.
    /// </summary>
    [return: System.Diagnostics.CodeAnalysis.NotNullIfNotNull(nameof(text))]
    public static string? Filled(string? text, IReadOnlyDictionary<string, string> said) =>
        text is null ? null : Template.Parse(text).Fill(said.GetValueOrDefault);

    /// <summary>The names that are said of some account.</summary>
    public IEnumerable<string> PersonalNames => People.Values.SelectMany(p => p.Keys).Distinct(StringComparer.Ordinal);

    /// <summary>How old a backup may be where the brief says nothing.</summary>
    public static readonly TimeSpan UsualBackupWithin = TimeSpan.FromDays(7);

    /// <summary>
    /// The share of relocations after whose failure a run starts nothing further, instead of a number; null for none.
    /// </summary>
    public double? HaltAfterShare { get; init; }

    /// <summary>How many machines are worked on at once.</summary>
    public AtOnce AtOnce { get; init; } = AtOnce.All;

    /// <summary>A run begins only when a second person has approved it.</summary>
    public bool WantsApproval { get; init; }

    /// <summary>The hours in which machines may be worked on; null for all.</summary>
    public AllowedHours? Hours { get; init; }

    /// <summary>How old the last backup of a machine may be.</summary>
    public TimeSpan BackupWithin { get; init; } = UsualBackupWithin;

    /// <summary>How long people have for their errands, where the brief does not say.</summary>
    public static readonly TimeSpan UsualErrandsWithin = TimeSpan.FromDays(3);

    /// <summary>How long people have for their errands.</summary>
    public TimeSpan ErrandsWithin { get; init; } = UsualErrandsWithin;
}

/// <summary>A brief that cannot be used.</summary>
public sealed class BriefException(IReadOnlyList<TextError> errors)
    : Exception(string.Join(Environment.NewLine, errors))
{
    /// <summary>All errors found.</summary>
    public IReadOnlyList<TextError> Errors { get; } = errors;

    /// <summary>How many there are, and the first.</summary>
    public string Summary => $"The brief has {Words.Count(Errors.Count, "error")}. {Errors[0]}";

    /// <summary>Where the first one is.</summary>
    public string Place => $"line {Errors[0].Line}, column {Errors[0].Column}";

    /// <summary>What to do.</summary>
    public const string Remedy = "Correct it; `furlough brief sample` shows every key.";
}
