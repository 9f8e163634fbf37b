using Furlough.Engine;
using Furlough.Model;

namespace Furlough.Platform.Linux;

/// <summary>What all pointers in accounts' homes share.</summary>
internal static class HomeFile
{
    /// <summary>A card's path for an account.</summary>
    internal static string Filled(string template, PasswdEntry account) => template.Replace("{home}", account.Home, StringComparison.Ordinal).Replace("{account}", account.Name, StringComparison.Ordinal);

    /// <summary>The folder that holds a pointer's file or link, opened step by step (I8); null where it does not exist.</summary>
    /// <exception cref="Fault"><c>account-missing</c>: the address lies in no home of its account.</exception>
    internal static LinuxFolder? Folder(LinuxVolumes volumes, PointerAddress address, out string name)
    {
        var at = address.Container.LastIndexOf('/');
        name = address.Container[(at + 1)..];
        var home = Passwd.People(volumes.Root).FirstOrDefault(p => p.Name == address.Account)?.Home;
        if (home is null || !address.Container.StartsWith(home + "/", StringComparison.Ordinal) || address.Container.Split('/').Any(p => p is "." or ".."))
            throw new Fault("account-missing", $"There is no account {address.Account} whose home holds `{address.Container}`.", "Survey the machine and make a new plan.");
        return volumes.TryOpenFolder(address.Container[..at]);
    }

    /// <summary>The path that a pointer is to lead to: the place, or the folder around it where the program adds its name.</summary>
    internal static string Spelled(LinuxVolumes volumes, PointerAddress address, Place place)
    {
        var shown = volumes.Show(place);
        if (!shown.StartsWith('/')) throw Faults.VolumeAbsent(place.Volume);
        if (address.Adds is not { } adds) return shown;
        return shown.EndsWith("/" + adds, StringComparison.Ordinal) ? shown[..^(adds.Length + 1)]
            : throw new Fault("pointer-shape", $"The program adds `{adds}` to its setting, and `{shown}` does not end so.", "Make a new plan with a path that does.");
    }

    /// <summary>What keeps an account from changing its own file or link; null when nothing does.</summary>
    internal static string? FixedBy(LinuxVolumes volumes, PointerAddress address, uint account)
    {
        using var folder = Folder(volumes, address, out var name);
        return folder?.Find(name) is { } file && file.Owner != account ? $"its file belongs to {Passwd.NameOf(volumes.Root, file.Owner)}" : null;
    }
}
