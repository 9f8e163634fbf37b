using System.Runtime.Versioning;
using Furlough.Model;

namespace Furlough.Platform.Windows;

/// <summary>
/// The user folders of Windows: the product's names, the system's identifiers and the names of their settings.
/// </summary>
[SupportedOSPlatform("windows")]
internal static class UserFolders
{
    private const string Current = @"Software\Microsoft\Windows\CurrentVersion\Explorer\User Shell Folders",
        Older = @"Software\Microsoft\Windows\CurrentVersion\Explorer\Shell Folders";

    /// <summary>All of them.</summary>
    internal static readonly IReadOnlyList<(string Name, Guid Id, string Setting)> All =
    [
        ("Desktop", new("B4BFCC3A-DB2C-424C-B029-7FE99A87C641"), "Desktop"),
        ("Documents", new("FDD39AD0-238F-46AF-ADB4-6C85480369C7"), "Personal"),
        ("Downloads", new("374DE290-123F-4565-9164-39C4925E467B"), "{374DE290-123F-4565-9164-39C4925E467B}"),
        ("Music", new("4BD8D571-6D19-48D3-BE97-422220080E43"), "My Music"),
        ("Pictures", new("33E28130-4E1E-4676-835A-98395C3BC3BB"), "My Pictures"),
        ("Videos", new("18989B1D-99B5-455B-841C-AB7C74E4DDFC"), Native.IsCompatible ? "My Videos" : "My Video"),
        ("Contacts", new("56784854-C6CB-462B-8169-88E350ACB882"), "{56784854-C6CB-462B-8169-88E350ACB882}"),
        ("Favourites", new("1777F761-68AD-4D8A-87BD-30B759FA33DD"), "Favorites"),
        ("Links", new("BFB9D5E0-C6A9-404C-B2B2-AE6DB6AF4968"), "{BFB9D5E0-C6A9-404C-B2B2-AE6DB6AF4968}"),
        ("Searches", new("7D1D3A04-DEBB-4115-95CF-2F29DA2920DA"), "{7D1D3A04-DEBB-4115-95CF-2F29DA2920DA}"),
        ("Saved games", new("4C5C32FF-BB9D-43B0-B5B4-2D72E54EAAA4"), "{4C5C32FF-BB9D-43B0-B5B4-2D72E54EAAA4}"),
    ];

    /// <summary>The setting, and the copy of it that older programs read.</summary>
    internal static (PointerAddress Setting, PointerAddress Copy) Addresses(WindowsProfile profile, string setting) =>
        (
            new PointerAddress(RegistryPointers.Kind, Current, setting, profile.Name),
            new PointerAddress(RegistryPointers.Kind, Older, setting, profile.Name)
        );
}
