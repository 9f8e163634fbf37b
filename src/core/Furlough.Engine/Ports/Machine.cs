using Furlough.Model;

namespace Furlough.Engine.Ports;

/// <summary>
/// A mounted volume whose identity has been verified. Held open until disposed, so that its sync reports every error
/// since.
/// </summary>
public interface IVolume : IDisposable
{
    /// <summary>Its verified identity.</summary>
    VolumeIdentity Identity { get; }

    /// <summary>Free for new data, in bytes.</summary>
    long FreeBytes { get; }

    /// <summary>What it can store.</summary>
    FileSystemAbilities Abilities { get; }

    /// <summary>How many files are worth copying side by side.</summary>
    int Workers { get; }

    /// <summary>How many files are worth reading back side by side, each waiting for the medium.</summary>
    int Readers { get; }

    /// <summary>Opens the volume's root.</summary>
    IFolder OpenRoot();

    /// <summary>
    /// Makes everything written to the volume so far durable; reports errors of writes made since the volume was
    /// opened.
    /// </summary>
    void Sync();

    /// <summary>The time that a change made on the volume now would get, in nanoseconds since 1970.</summary>
    long NowNs => (TimeProvider.System.GetUtcNow().UtcTicks - DateTimeOffset.UnixEpoch.UtcTicks) * 100;

    /// <summary>
    /// Notes from now on which of the volume's files are written, by whatever way; null where the system cannot tell.
    /// </summary>
    IWriteWatch? WatchWrites() => null;
}

/// <summary>
/// Notes which files of a volume are written. Needed because the second save on a memory page that is not on the medium
/// yet changes no time of its file.
/// </summary>
public interface IWriteWatch : IDisposable
{
    /// <summary>
    /// The numbers of all files that were open for writing or mapped at some time since the watch began and are closed
    /// by now; null when that is not known any more.
    /// </summary>
    /// <param name="volume">The volume as it is mounted now.</param>
    IReadOnlySet<ulong>? Written(IVolume volume);
}

/// <summary>The volumes of a machine.</summary>
public interface IVolumes
{
    /// <summary>The mounted volume of this identity.</summary>
    /// <exception cref="Fault"><c>volume-absent</c>, <c>volume-twice</c> or <c>volume-not-as-surveyed</c>.</exception>
    IVolume Require(VolumeIdentity identity);

    /// <summary>A place as this machine spells it.</summary>
    string Show(Place place);
}

/// <summary>The settings in which the system keeps where holdings live.</summary>
public interface IPointers
{
    /// <summary>
    /// The raw value as it is now; <see cref="PointerValue.Absent"/> when the setting does not exist.
    /// </summary>
    PointerValue Read(PointerAddress address);

    /// <summary>
    /// Where a value leads as things are now, as this machine spells it; null where that cannot be said.
    /// </summary>
    string? Leads(PointerAddress address, PointerValue value);

    /// <summary>A place in the pointer's own syntax, keeping the type of its present value.</summary>
    PointerValue Spell(PointerAddress address, Place place, PointerValue present);

    /// <summary>
    /// Replaces the value if it still is the expected one; what others changed in the container stays. Durable on
    /// return.
    /// </summary>
    /// <exception cref="Fault"><c>pointer-changed</c> when it reads something else.</exception>
    void Swap(PointerAddress address, PointerValue expected, PointerValue next);
}

/// <summary>People and programs on the machine.</summary>
public interface IActivity
{
    /// <summary>Who holds files open below a place: "program (account): path".</summary>
    IReadOnlyList<string> InUse(Place place);

    /// <summary>
    /// What is kept about the account's sign-in now, to be put back by <see cref="AllowSignIn"/>; null where sign-in
    /// cannot be barred.
    /// </summary>
    string? SignInRecord(string account);

    /// <summary>Keeps the account from signing in. Repeating it changes nothing.</summary>
    void BarSignIn(string account);

    /// <summary>Whether the system itself says that the account is locked out; null where it cannot be asked.</summary>
    bool? IsBarred(string account) => null;

    /// <summary>Puts back what <see cref="SignInRecord"/> said. Repeating it changes nothing.</summary>
    void AllowSignIn(string account, string record);

    /// <summary>
    /// Whether this thread, and those that it starts, give way to everybody else's work on processor and disks.
    /// </summary>
    void GiveWay(bool gives);

    /// <summary>
    /// Asks the system itself where a holding lives, as its account would see it; null where it cannot be asked.
    /// </summary>
    string? WhereIs(HoldingName holding);

    /// <summary>
    /// Which of these programs, or (null) which at all, the account runs: "program (account)". For a shared holding's,
    /// no matter who runs them.
    /// </summary>
    IReadOnlyList<string> Running(string account, IReadOnlyList<string>? programs);

    /// <summary>
    /// What a program's own command answers when the account runs it; null where commands of kind cards do not run on
    /// this machine.
    /// </summary>
    /// <exception cref="Fault"><c>command-failed</c>: it is missing, fails, or does not end in time.</exception>
    string? Ask(string account, IReadOnlyList<string> command);

    /// <summary>
    /// Puts a notice before the person who is signed in to an account; null where nobody is, or nothing can be shown to
    /// them.
    /// </summary>
    /// <param name="length">How long it stays.</param>
    /// <param name="mayPutOff">Whether the person may choose to put the work off.</param>
    IShownNotice? Show(string account, ToldText told, TimeSpan length, bool mayPutOff);
}

/// <summary>A notice on someone's screen; disposing it takes it away.</summary>
public interface IShownNotice : IDisposable
{
    /// <summary>Whether the person has chosen to put the work off.</summary>
    bool IsPutOff { get; }

    /// <summary>Whether nobody is signed in to the account any more.</summary>
    bool HasLeft { get; }
}

/// <summary>Who is behind the numbers of owners and groups.</summary>
public interface IAccounts
{
    /// <summary>The names of people's accounts and groups with their numbers.</summary>
    IReadOnlyList<NumberedName> Names();

    /// <summary>Gives a folder that was just made to an account, closed to all others but the system.</summary>
    /// <param name="accountId">The account as the system numbers it.</param>
    void Give(IFolder folder, string account, string accountId);

    /// <summary>Until disposed, this thread makes, opens, renames and removes names with an account's own rights and
    /// not with the system's: for names in folders that the account can change. Nothing else may be asked of the
    /// machine meanwhile: what only the system can read would be refused.</summary>
    /// <param name="accountId">The account as the system numbers it.</param>
    IDisposable As(string account, string accountId) => OwnRights.Kept;

    /// <summary>Stands for anyone who has no name on the machine.</summary>
    const string Others = "others";

    /// <summary>
    /// Who may pass through all of these folders and list the last one, by rights and access lists: names of accounts,
    /// and <see cref="Others"/> for anyone who has no name here. The system itself is not named.
    /// </summary>
    IReadOnlySet<string> WhoReaches(IReadOnlyList<(NodeFacts Facts, Attributes Attributes)> folders);

    /// <summary>
    /// Attributes with the numbers in their access lists changed as <paramref name="renumber"/> says for (number, is a
    /// group).
    /// </summary>
    Attributes Renumbered(Attributes attributes, Func<uint, bool, uint> renumber);
}

/// <summary>The rights that a thread has anyway.</summary>
public sealed class OwnRights : IDisposable
{
    private OwnRights() { }

    /// <summary>Nothing is taken on, so there is nothing to lay down.</summary>
    public static OwnRights Kept { get; } = new();

    /// <inheritdoc/>
    public void Dispose() { }
}

/// <summary>The entries and shortcuts by which people start programs.</summary>
public interface ILaunchers
{
    /// <summary>
    /// Takes a program's entry away from an account, and keeps what the account itself had there. Repeating it changes
    /// nothing; durable on return.
    /// </summary>
    void Hide(string account, string entry);

    /// <summary>Puts back what <see cref="Hide"/> took away. Repeating it changes nothing; durable on return.</summary>
    void Show(string account, string entry);

    /// <summary>
    /// A file that starts a command when it is opened; null where commands of kind cards do not run on this machine.
    /// </summary>
    Shortcut? ShortcutTo(string title, IReadOnlyList<string> command);
}

/// <summary>A file that starts a command: how its name ends, and what is written in it.</summary>
public sealed record Shortcut(string Ending, string Content);

/// <summary>
/// A system's own commands, behind which some systems keep their settings: argument lists, never a shell line.
/// </summary>
public interface ICommands
{
    /// <summary>Runs a command to its end.</summary>
    /// <param name="account">Who runs it; empty for the system itself.</param>
    /// <param name="command">Its whole path, then its arguments.</param>
    CommandAnswer Run(string account, IReadOnlyList<string> command);
}

/// <summary>What a command left: its exit code, and what it printed and complained of.</summary>
public sealed record CommandAnswer(int Exit, string Output, string Error);

/// <summary>What the engine needs of a machine.</summary>
public interface IMachine
{
    /// <summary>Volumes.</summary>
    IVolumes Volumes { get; }

    /// <summary>Settings.</summary>
    IPointers Pointers { get; }

    /// <summary>People and programs.</summary>
    IActivity Activity { get; }

    /// <summary>Names behind numbers.</summary>
    IAccounts Accounts { get; }

    /// <summary>Entries of programs; null where the system's are not known.</summary>
    ILaunchers? Launchers => null;

    /// <summary>What the machine lets be done to it; null where everything is made up.</summary>
    IFloor? Floor => null;
}

/// <summary>What a machine lets be done to it, no matter who asks.</summary>
public interface IFloor
{
    /// <summary>Refuses a docket that goes further than the machine's installation allows.</summary>
    /// <param name="wasPutThere">Whether a relocation that this machine carried out had a holding at a place.</param>
    /// <exception cref="Fault">What is not allowed.</exception>
    void Require(Docket docket, IJournal journal);
}

/// <summary>Looks at a machine without changing it (but for marking its volumes).</summary>
public interface ISurveyor
{
    /// <summary>Takes a survey.</summary>
    /// <param name="kinds">Further kinds of holdings that are looked for.</param>
    /// <param name="originals">Originals that the agent knows of; their condition is looked at.</param>
    /// <param name="knows">Whether the agent's journal knows a docket; receipts of others are reported.</param>
    /// <param name="stop">Ends it early.</param>
    Survey Take(
        IReadOnlyList<KindCard> kinds,
        IReadOnlyList<OriginalFacts> originals,
        Func<Guid, bool> knows,
        CancellationToken stop
    );
}

/// <summary>Signs receipts with the agent's key.</summary>
public interface IReceiptSigner
{
    /// <summary>A detached signature over the bytes, as text.</summary>
    string Sign(ReadOnlySpan<byte> bytes);
}
