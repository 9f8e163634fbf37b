using System.Text;
using Furlough.Engine;
using Furlough.Engine.Ports;
using Furlough.Model;

namespace Furlough.Platform.Linux;

/// <summary>
/// Launcher entries by the Desktop Entry and Desktop Menu specifications: an account's own entry goes before the
/// system's of the same name, and one that says that it is hidden takes both away. What the account itself had there is
/// kept beside it under a name that is not an entry's.
/// </summary>
internal sealed class LinuxLaunchers(LinuxVolumes volumes, bool cardCommands) : ILaunchers
{
    private const string Entries = "~/.local/share/applications",
        Kept = ".kept",
        Ending = ".desktop";
    private static readonly byte[] Hidden = Encoding.UTF8.GetBytes(
        "[Desktop Entry]\nType=Application\nName=Hidden\nHidden=true\n"
    );

    public void Hide(string account, string entry)
    {
        var address = AddressOf(account, entry);
        using var folder = SettingPlace.MadeFolder(volumes, address, out var name);
        var whenNew = SettingPlace.WhenNew(volumes, address, folder);
        using var rights = SettingPlace.As(volumes, address);
        if (IsHidden(folder, name))
            return;
        if (folder.Find(name) is not null)
        {
            if (folder.Find(name + Kept) is not null)
                throw new Fault(
                    FaultKinds.TargetNotEmpty,
                    $"Both `{name}` and `{name}{Kept}` stand among the entries of {account}.",
                    "Remove the one that is not wanted."
                );
            folder.Move(name, folder, name + Kept);
        }
        ContainerFile.Edit(folder, name, whenNew, _ => Hidden);
        folder.Flush();
    }

    public void Show(string account, string entry)
    {
        using var folder = SettingPlace.Folder(volumes, AddressOf(account, entry), out var name);
        if (folder is null)
            return;
        using var rights = SettingPlace.As(volumes, AddressOf(account, entry));
        if (IsHidden(folder, name))
            folder.RemoveFile(name);
        // An entry that the account has made since stands before the one that was kept.
        if (folder.Find(name + Kept) is not null && folder.Find(name) is null)
            folder.Move(name + Kept, folder, name);
        folder.Flush();
    }

    public Shortcut? ShortcutTo(string title, IReadOnlyList<string> command) =>
        !cardCommands
            ? null
            : new Shortcut(
                Ending,
                $"[Desktop Entry]\nType=Application\nName={Escaped(title)}\nExec={Escaped(string.Join(' ', command.Select(Quoted)))}\n"
            );

    private static PointerAddress AddressOf(string account, string entry) =>
        new("launcher", $"{Entries}/{entry}", "", account);

    private static bool IsHidden(LinuxFolder folder, string name) =>
        ContainerFile.Read(folder, name) is { } content && content.AsSpan().SequenceEqual(Hidden);

    /// <summary>
    /// An argument of a command: in quotes, where some characters are escaped, and a percent sign would begin a
    /// variable.
    /// </summary>
    private static string Quoted(string argument)
    {
        var quoted = new StringBuilder("\"");
        foreach (var c in argument)
        {
            if (c is '"' or '`' or '$' or '\\')
                quoted.Append('\\');
            if (c == '%')
                quoted.Append('%');
            quoted.Append(c);
        }
        return quoted.Append('"').ToString();
    }

    /// <summary>A text of an entry, in which a backslash begins an escape.</summary>
    private static string Escaped(string text) =>
        text.Replace("\\", "\\\\", StringComparison.Ordinal)
            .Replace("\n", "\\n", StringComparison.Ordinal)
            .Replace("\r", "\\r", StringComparison.Ordinal)
            .Replace("\t", "\\t", StringComparison.Ordinal);
}
