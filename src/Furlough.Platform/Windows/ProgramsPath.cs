using System.Runtime.Versioning;
using Furlough.Model;

namespace Furlough.Platform.Windows;

/// <summary>
/// Where Windows installs programs, for all accounts: the path of 64-bit programs and, in two views of the registry,
/// that of 32-bit ones, which stands beside it under a longer name.
/// </summary>
[SupportedOSPlatform("windows")]
internal static class ProgramsPath
{
    private const string Container = @"SOFTWARE\Microsoft\Windows\CurrentVersion",
        Setting = "ProgramFilesDir",
        Twin = " (x86)";

    /// <summary>What its holding is called.</summary>
    internal const string Name = "programs";

    /// <summary>The setting, and its twins as far as a system has them.</summary>
    internal static IReadOnlyList<PointerAddress> Addresses { get; } =
    [
        new(RegistryPointers.Kind, Container, Setting, ""),
        new(RegistryPointers.Kind, Container, Setting + Twin, "") { Behind = Twin },
        new(RegistryPointers.Kind32, Container, Setting, "") { Behind = Twin },
    ];
}
