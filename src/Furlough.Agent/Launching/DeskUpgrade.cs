using Furlough.Protocol;

namespace Furlough.Agent.Launching;

/// <summary>A release that somebody has brought to the machine.</summary>
internal static class DeskUpgrade
{
    /// <summary>Checks it and lays it ready for the launcher, which checks it again.</summary>
    /// <exception cref="UpgradeRefusedException">It is not accepted here; nothing was changed.</exception>
    internal static int Offer(ProgramVersions versions, string folder, TextWriter to)
    {
        if (OperatingSystem.IsWindows())
            throw new UpgradeRefusedException("on Windows a later version comes as its installer (msiexec)");
        var package = ReleaseCheck.Find(folder, versions.Key);
        var current = versions.Current.Version;
        if (package.Version <= current)
            throw new UpgradeRefusedException($"{package.Version} is not higher than {current}, which is used here");
        if (!File.Exists(Path.Combine(folder, package.File)))
            throw new UpgradeRefusedException($"{package.File} is missing in {folder}");
        versions.EndIncoming();
        PrivateFolder.Make(Path.GetDirectoryName(versions.Incoming)!);
        PrivateFolder.Make(versions.Incoming);
        foreach (var file in (string[])[ReleaseCheck.ListFile, ReleaseCheck.SignatureFile, package.File])
            File.Copy(Path.Combine(folder, file), Path.Combine(versions.Incoming, file));
        PrivateFile.Write(versions.ReadyMark, package.Version + "\n");
        to.WriteLine(
            $"Version {package.Version} is laid ready in place of {current}. The running agent goes over to it before the next "
                + "step that locks somebody out; `furlough-agent status` shows what became of it."
        );
        return 0;
    }
}
