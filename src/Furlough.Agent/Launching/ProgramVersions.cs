using System.Text.Json;
using System.Text.Json.Serialization;
using Furlough.Protocol;

namespace Furlough.Agent.Launching;

/// <summary>
/// The versions of the agent's program on this machine: the one that was installed, and those that upgrades have put
/// beside it in the data folder.
/// </summary>
/// <param name="data">The agent's data folder.</param>
/// <param name="installed">Folder of the installed program.</param>
/// <param name="installedVersion">Its version.</param>
internal sealed class ProgramVersions(string data, string installed, Version installedVersion)
{
    /// <summary>Those of this machine, seen by the installed program.</summary>
    internal static ProgramVersions Of(string data) =>
        new(data, AppContext.BaseDirectory, ThreeParts(typeof(ProgramVersions).Assembly.GetName().Version!));

    /// <summary>The version as people write it: what it leaves out is 0.</summary>
    internal static Version ThreeParts(Version version) =>
        new(version.Major, version.Minor, Math.Max(version.Build, 0));

    private readonly string _folder = Path.Combine(data, "versions");

    private string StateFile => Path.Combine(_folder, "state");

    /// <summary>Where the files of an upgrade are put.</summary>
    internal string Incoming => Path.Combine(_folder, "incoming");

    /// <summary>Stands in there when they are complete.</summary>
    internal string ReadyMark => Path.Combine(Incoming, "ready");

    /// <summary>Where a version on trial shows that it is well.</summary>
    internal string HealthFile => Path.Combine(_folder, "health");

    /// <summary>Where the launcher tells it that the trial is over.</summary>
    internal string AcceptedFile => Path.Combine(_folder, "accepted");

    /// <summary>The release key that came with the installation.</summary>
    internal string Key => Path.Combine(installed, ReleaseCheck.KeyFile);

    /// <summary>The agent's program in a folder of one version.</summary>
    internal static string ProgramIn(string folder) =>
        Path.Combine(folder, "furlough-agent", OperatingSystem.IsWindows() ? "furlough-agent.exe" : "furlough-agent");

    /// <summary>The version that is used: the one accepted last, or the installed one where that is higher.</summary>
    internal (Version Version, string Program) Current
    {
        get
        {
            var accepted = Version.TryParse(State.Current, out var version) ? version : null;
            return accepted > installedVersion && File.Exists(ProgramIn(FolderOf(accepted)))
                ? (accepted, ProgramIn(FolderOf(accepted)))
                : (
                    installedVersion,
                    Path.Combine(installed, OperatingSystem.IsWindows() ? "furlough-agent.exe" : "furlough-agent")
                );
        }
    }

    /// <summary>What became of the last upgrade that was tried; null for none.</summary>
    internal string? LastRefusal => State.Refused;

    private VersionState State =>
        File.Exists(StateFile)
            ? JsonSerializer.Deserialize(File.ReadAllText(StateFile), VersionJson.Default.VersionState)!
            : new VersionState(null, null);

    /// <summary>The folder of a version that an upgrade has put here.</summary>
    internal string FolderOf(Version version) => Path.Combine(_folder, version.ToString());

    /// <summary>Makes the folder; what trials have left is removed.</summary>
    internal void Prepare()
    {
        PrivateFolder.Make(_folder);
        foreach (var left in (string[])[HealthFile, AcceptedFile])
            File.Delete(left);
        var current = Current.Version;
        foreach (var folder in Directory.EnumerateDirectories(_folder))
            if (folder != Incoming && Path.GetFileName(folder) != current.ToString())
                Directory.Delete(folder, recursive: true);
    }

    /// <summary>Checks what has come and unpacks it beside the others.</summary>
    /// <exception cref="UpgradeRefusedException"/>
    internal Version Take()
    {
        var package = ReleaseCheck.Find(Incoming, Key);
        if (package.Version <= Current.Version)
            throw new UpgradeRefusedException(
                $"{package.Version} is not higher than {Current.Version}, which runs here"
            );
        var target = FolderOf(package.Version);
        if (Directory.Exists(target))
            Directory.Delete(target, recursive: true);
        try
        {
            ReleaseCheck.Unpack(Incoming, package, target);
        }
        catch
        {
            if (Directory.Exists(target))
                Directory.Delete(target, recursive: true);
            throw;
        }
        return package.Version;
    }

    /// <summary>The upgrade is over, whatever became of it.</summary>
    internal void EndIncoming()
    {
        if (Directory.Exists(Incoming))
            Directory.Delete(Incoming, recursive: true);
    }

    /// <summary>A version was well: it is the one that is used from now on.</summary>
    internal void Accept(Version version) => Keep(new VersionState(version.ToString(), null));

    /// <summary>An upgrade was refused, or the new version was not well.</summary>
    internal void Refuse(string why) => Keep(State with { Refused = why });

    private void Keep(VersionState state) =>
        PrivateFile.Write(StateFile, JsonSerializer.Serialize(state, VersionJson.Default.VersionState) + "\n");
}

/// <summary>The file of the versions.</summary>
/// <param name="Current">Accepted last; null for none.</param>
/// <param name="Refused">Why the last upgrade was not made; null where it was.</param>
internal sealed record VersionState(string? Current, string? Refused);

[JsonSerializable(typeof(VersionState))]
internal sealed partial class VersionJson : JsonSerializerContext;
