using System.Text.Json.Serialization;

namespace Furlough.Model;

/// <summary>
/// What a setting expects: the holding's folder, or the folder around it, to which the program adds a name of its own.
/// </summary>
[JsonConverter(typeof(WordConverter<PointerShape>))]
public enum PointerShape
{
    Folder,
    Parent,
}

/// <summary>One setting of a kind of holding.</summary>
/// <param name="Syntax">How its file is written: ini, environment, profile, properties, json, xml, toml, yaml; or one
/// of the words below.</param>
/// <param name="File">Path of its file; <c>{home}</c> and <c>{account}</c> are filled in.</param>
/// <param name="Key">The names that lead to it, from the outermost, joined by '/'; a '/' of a name is written ~1, a '~'
/// ~0.</param>
/// <param name="Adds">The name that the program adds, where the setting needs the parent.</param>
public sealed record CardPointer(string Syntax, string File, string Key, PointerShape Wants, string? Adds)
{
    /// <summary>Instead of a syntax: the file is a symbolic link, and where it leads is the value.</summary>
    public const string Link = "link";

    /// <summary>
    /// Instead of a syntax: a value of the account's part of the registry; the file is the key's path.
    /// </summary>
    public const string Registry = "registry";

    /// <summary>
    /// Instead of a syntax: one of the preferences of a program that a macOS system keeps for the account; the file is
    /// the program's domain.
    /// </summary>
    public const string Preference = "preference";

    /// <summary>Instead of a syntax: commands read and change the value.</summary>
    public const string Command = "command";

    /// <summary>The program knows only this path: the data stands there, or a link that leads to it.</summary>
    public bool InPlace { get; init; }

    /// <summary>The commands of such a setting; null for every other.</summary>
    public SettingCommands? Commands { get; init; }
}

/// <summary>How a program's own commands keep a setting, each a list of arguments and never a shell line.</summary>
/// <param name="Reads">Prints the value, or nothing where there is none.</param>
/// <param name="Writes">Sets it: <see cref="Value"/> in an argument is the new one.</param>
/// <param name="Clears">Takes it away; empty where that cannot be done.</param>
public sealed record SettingCommands(
    IReadOnlyList<string> Reads,
    IReadOnlyList<string> Writes,
    IReadOnlyList<string> Clears
)
{
    /// <summary>What stands for the value.</summary>
    public const string Value = "{value}";

    /// <inheritdoc/>
    public bool Equals(SettingCommands? other) =>
        other is not null
        && Reads.SequenceEqual(other.Reads)
        && Writes.SequenceEqual(other.Writes)
        && Clears.SequenceEqual(other.Clears);

    /// <inheritdoc/>
    public override int GetHashCode() => Reads.Concat(Writes).Concat(Clears).Aggregate(0, HashCode.Combine);
}

/// <summary>What a holding's own program asks of a relocation.</summary>
/// <param name="Closed">Names of processes that must be closed while the settings are changed, because they write them
/// themselves.</param>
/// <param name="Says">The command, as a list of arguments, that asks the program itself where the holding lives; empty
/// where there is none.</param>
public sealed record OwnProgram(IReadOnlyList<string> Closed, IReadOnlyList<string> Says)
{
    /// <summary>What stands for the holding's place in <see cref="Opens"/>.</summary>
    public const string Library = "{library}";

    /// <summary>
    /// The entry by which people start it without saying what it is to open, taken away from the account while the
    /// holding lives elsewhere; null where none is.
    /// </summary>
    public string? Launcher { get; init; }

    /// <summary>
    /// The command, as a list of arguments, that opens the holding: a shortcut with it is left beside the holding, and
    /// a note that says what it is. Empty where neither is left.
    /// </summary>
    public IReadOnlyList<string> Opens { get; init; } = [];

    /// <summary>
    /// The command, as a list of arguments, that makes the holding where it usually lives when the account has none
    /// yet; empty where none does.
    /// </summary>
    public IReadOnlyList<string> FirstStart { get; init; } = [];

    /// <summary>Whether anything is to be mended when the holding lives elsewhere.</summary>
    [JsonIgnore]
    public bool Mends => Launcher is not null || Opens.Count > 0;
}

/// <summary>
/// A further kind of holding, described without code: one for each account, or one that all accounts of a machine
/// share.
/// </summary>
/// <param name="Name">What its holdings are called.</param>
/// <param name="Title">A sentence for people.</param>
/// <param name="Systems">Patterns of the operating systems that it is for; empty for all.</param>
/// <param name="Pointers">The settings that lead to it; all must agree.</param>
public sealed record KindCard(
    string Name,
    string Title,
    IReadOnlyList<string> Systems,
    IReadOnlyList<CardPointer> Pointers
)
{
    /// <summary>A library, whose data moves; or an install path, of which only the settings change.</summary>
    public HoldingKind Holds { get; init; } = HoldingKind.Library;

    /// <summary>All accounts of a machine share it.</summary>
    public bool Shared { get; init; }

    /// <summary>
    /// No holding at all: a folder that people share and that should be empty. Surveys say whose files lie in it.
    /// </summary>
    public bool IsCommonFolder { get; init; }

    /// <summary>A path that is there where the program is; null where its settings alone tell.</summary>
    public string? FoundBy { get; init; }

    /// <summary>
    /// Where it lives while its settings say nothing; null where that is not known. <c>{home}</c> and <c>{account}</c>
    /// are filled in.
    /// </summary>
    public string? Usual { get; init; }

    /// <summary>For an install path: the path below it that lists what is installed; empty for itself.</summary>
    public string Lists { get; init; } = "";

    /// <summary>The program whose holding it is; null where nothing is to be done about one.</summary>
    public OwnProgram? Program { get; init; }
}
