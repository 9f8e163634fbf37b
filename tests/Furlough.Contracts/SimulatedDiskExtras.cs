namespace Furlough.Contracts;

/// <summary>Shortcuts for setting a simulated disk up.</summary>
public static class SimulatedDiskExtras
{
    /// <summary>Makes everything on a volume durable without counting it.</summary>
    public static void FlushVolume(this SimulatedDisk disk, string volume)
    {
        lock (disk.Lock)
            disk.FlushVolume(disk.Root(volume));
    }
}
