using Furlough.Engine;
using Furlough.Engine.Ports;
using Furlough.Model;

namespace Furlough.Station.World;

/// <summary>Volumes of a stand-in, shown by letters.</summary>
internal sealed class StationVolumes(StationMachine machine) : IVolumes
{
    internal const string Fills = "volume fills";

    public IVolume Require(VolumeIdentity identity) =>
        machine.VolumeStates.FirstOrDefault(v => v.Identity == identity) is { } state
            ? new StationVolume(machine, state)
            : throw Faults.VolumeAbsent(identity.Key);

    public string Show(Place place) =>
        machine.VolumeStates.FirstOrDefault(v => v.Identity.Key == place.Volume) is { } v
            ? v.Spell(place.Path)
            : $"(absent volume {place.Volume})\\{place.Path}";

    private sealed class StationVolume(StationMachine machine, StationVolumeState state) : IVolume
    {
        public VolumeIdentity Identity => state.Identity;

        public long FreeBytes
        {
            get
            {
                foreach (var fault in machine.Spec.Faults.OfType<VolumeFills>())
                    if (!state.Spec.System && machine.Once(Fills))
                        state.UsedBytes = state.Spec.SizeBytes - fault.LeavesBytes;
                return state.FreeBytes;
            }
        }

        public FileSystemAbilities Abilities => state.Abilities;

        public int Workers => state.Spec.Medium == Medium.Rotating ? 1 : 2;

        public int Readers => Workers;

        public IFolder OpenRoot() => new StationFolder(machine, state.Root, "");

        public void Sync()
        {
            lock (machine.Lock)
                machine.FlushLog();
        }

        public void Dispose() { }
    }
}
