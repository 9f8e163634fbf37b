using System.CommandLine;

namespace Furlough.Cli.Commands;

/// <summary>What lists that grow without end have in common: they show the newest entries first.</summary>
internal static class Lists
{
    internal static Option<long?> Before { get; } =
        new("--before") { Description = "Only entries with smaller numbers: what the list had no room for" };
}
