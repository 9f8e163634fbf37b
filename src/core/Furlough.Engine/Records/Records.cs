using System.Security.Cryptography;
using Furlough.Model;

namespace Furlough.Engine.Records;

/// <summary>prepare: reality was compared with the docket, and nothing had been made before.</summary>
public sealed record Compared : StepRecord;

/// <summary>
/// prepare: the docket is about to use the target, and counts on this much room there until its copy is complete.
/// </summary>
/// <param name="Bytes">Room it needs; 0 where what arrives is there already.</param>
public sealed record TargetClaim(Place Target, long Bytes) : StepRecord;

/// <summary>prepare: the folders above the target that this docket makes. Only those are removed again.</summary>
/// <param name="FromPart">Index of the target's first path part that was missing.</param>
public sealed record MadeParents(int FromPart) : StepRecord;

/// <summary>prepare: one of the folders to which settings will lead is about to be made.</summary>
/// <param name="Name">Its name.</param>
public sealed record MadeTarget(string Name) : StepRecord
{
    public override string Key => Name;
}

/// <summary>prepare: an empty folder stands at the target and gives way to what arrives there.</summary>
public sealed record EmptyTarget(uint Mode, uint Owner, uint Group) : StepRecord;

/// <summary>
/// prepare: who could reach the source when it was relocated. A return gives the same accounts access again.
/// </summary>
public sealed record ReachedBy(IReadOnlyList<string> Accounts) : StepRecord;

/// <summary>
/// prepare: how the target is shown on this machine. It must not change while the docket is under way (I11).
/// </summary>
public sealed record TargetShown(string Path) : StepRecord;

/// <summary>prepare: the target was there before the docket; undoing leaves it where it is.</summary>
public sealed record Adopted : StepRecord;

/// <summary>prepare: nothing stands at the source, so nothing is set aside.</summary>
public sealed record NothingAtSource : StepRecord;

/// <summary>prepare: the docket's folder on one side is about to be made.</summary>
/// <param name="Side">Which of the two.</param>
/// <param name="Ground">Path, on the volume, of the folder that holds <see cref="Layout.Dockets"/>.</param>
/// <param name="Token">The content of its token file.</param>
/// <param name="FileId">Its file number; null until it was made.</param>
public sealed record OwnFolder(DocketSide Side, string Ground, string Token, ulong? FileId) : StepRecord
{
    private const int TokenBytes = 16;

    public override string Key => KeyOf(Side);

    public static string KeyOf(DocketSide side) => side == DocketSide.Copy ? "copy" : "original";

    internal static string FreshToken() => Convert.ToHexStringLower(RandomNumberGenerator.GetBytes(TokenBytes));
}

/// <summary>prepare: the program that makes its own library is started once.</summary>
/// <param name="Done">It has made the library, and its settings were read.</param>
public sealed record FirstStartBegun(bool Done) : StepRecord;

/// <summary>A setting and a raw value of it.</summary>
public abstract record SettingRecord(PointerAddress Address, PointerValue Value) : StepRecord
{
    public override string Key => KeyOf(Address);

    /// <summary>The same for two addresses that name the same setting, whatever else is said of it.</summary>
    public static string KeyOf(PointerAddress address) =>
        string.Join('\n', address.Kind, address.Container, address.Key, address.Account);
}

/// <summary>
/// prepare: a program wrote this at its first start; it is the setting's value before the relocation.
/// </summary>
public sealed record FormerValue(PointerAddress Address, PointerValue Value) : SettingRecord(Address, Value);

/// <summary>
/// repoint: the target spelled in the setting's own syntax. Spelled once, so that recovery recognises what was written.
/// </summary>
public sealed record NextValue(PointerAddress Address, PointerValue Value) : SettingRecord(Address, Value);

/// <summary>prepare: whether a return renames an original back instead of copying.</summary>
/// <param name="Docket">The docket that set the original aside; null: what lives now is copied.</param>
public sealed record RenamesBack(Guid? Docket) : StepRecord;

/// <summary>prove: an original that reads differently from when it was set aside. No return tries it again.</summary>
public sealed record UnfitOriginal(Guid Docket) : StepRecord;

/// <summary>copy: when the live place was flushed before it was compared with the original.</summary>
/// <param name="AtNs">Nanoseconds since 1970 by the volume's clock; <see cref="long.MinValue"/> where a flush shows
/// nothing.</param>
public sealed record LiveFlushed(long AtNs) : StepRecord;

/// <summary>prove: what was proven, for the receipt.</summary>
public sealed record Proven(long Files, long Bytes) : StepRecord;

/// <summary>quiesce: a hold is taken.</summary>
/// <param name="Hold">Its name.</param>
/// <param name="Former">How what it holds was before, in its own notation.</param>
public sealed record HoldTaken(string Hold, string Former) : StepRecord
{
    public override string Key => Hold;
}

/// <summary>repoint: the folder that becomes the target. It is recognised there by its file number.</summary>
public sealed record Arriving(ulong FileId) : StepRecord;

/// <summary>repoint: a link to the source stands at the target and gives way to what comes back.</summary>
public sealed record LinkGaveWay(uint Owner, uint Group, string LeadsTo) : StepRecord;

/// <summary>reopen: a link is left at the former place.</summary>
public sealed record LeftLink : StepRecord;

/// <summary>reopen: the original was compared once more (I3). From here the docket only goes forward.</summary>
public sealed record SourceCompared : StepRecord;

/// <summary>gather: the name under which the copy is put into the live place.</summary>
public sealed record GatheredAs(string Name) : StepRecord;

/// <summary>discard: everything was confirmed again, and this original is being removed (I10).</summary>
public sealed record DiscardConfirmed(Guid Original) : StepRecord
{
    public override string Key => KeyOf(Original);

    public static string KeyOf(Guid original) => original.ToString("N");
}

/// <summary>The docket is put away until something is over.</summary>
/// <param name="Code">The code of the fault that put it away.</param>
/// <param name="Message">What was reported.</param>
public sealed record PutAway(string Code, string Message) : StepRecord;
