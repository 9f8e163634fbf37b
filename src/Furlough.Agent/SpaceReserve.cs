namespace Furlough.Agent;

/// <summary>
/// A little space on the system's volume, kept by a file that is given up when that volume is full: settings, account
/// files and the agent's journal are a few kilobytes, and a full system volume is why most relocations are made.
/// </summary>
/// <param name="root">The root folder of the system.</param>
public sealed class SpaceReserve(string root)
{
    private const long Bytes = 8 << 20;
    private readonly string _folder = Path.Combine(root, "var/lib/furlough-agent");

    private string Reserved => Path.Combine(_folder, "reserve");

    /// <summary>Gives the space up if there is hardly any other.</summary>
    public void Release()
    {
        try
        {
            if (Free < Bytes)
                File.Delete(Reserved);
        }
        catch (Exception cannot) when (cannot is IOException or UnauthorizedAccessException)
        {
            // Then anyone who writes next says what is wrong.
        }
    }

    /// <summary>Keeps it again, if there is plenty by now.</summary>
    public void Keep()
    {
        try
        {
            if (File.Exists(Reserved) || !Directory.Exists(_folder) || Free < 4 * Bytes)
                return;
            using var file = new FileStream(Reserved, FileMode.CreateNew, FileAccess.Write, FileShare.None);
            if (!OperatingSystem.IsWindows())
                File.SetUnixFileMode(file.SafeFileHandle, UnixFileMode.UserRead | UnixFileMode.UserWrite);
            // Of what does not repeat: a file system may keep a row of zeros without taking space for it.
            var noise = new byte[Bytes];
            Random.Shared.NextBytes(noise);
            file.Write(noise);
            file.Flush(flushToDisk: true);
        }
        catch (Exception cannot) when (cannot is IOException or UnauthorizedAccessException)
        {
            Release();
        }
    }

    private long Free => new DriveInfo(_folder).AvailableFreeSpace;
}
