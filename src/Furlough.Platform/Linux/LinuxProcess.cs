namespace Furlough.Platform.Linux;

/// <summary>Processes of this machine.</summary>
public static class LinuxProcess
{
    private const int TerminateSignal = 15;

    /// <summary>Asks a process to end; one that has ended already is left as it is.</summary>
    public static void Terminate(int id) => _ = Native.Signal(id, TerminateSignal);
}
