using Furlough.Engine.Ports;
using Furlough.Model;

namespace Furlough.Platform.Tests;

/// <summary>
/// A real machine's ports that tell before each rename, flush and pointer write what is about to happen. One worker, so
/// that everything happens in order.
/// </summary>
public sealed class WatchedMachine(IMachine machine, Action<string> about) : IMachine, IVolumes, IPointers
{
    public IVolumes Volumes => this;

    public IPointers Pointers => this;

    public IActivity Activity => machine.Activity;

    public IAccounts Accounts => machine.Accounts;

    public IVolume Require(VolumeIdentity identity) => new Volume(machine.Volumes.Require(identity), about);

    public string Show(Place place) => machine.Volumes.Show(place);

    public PointerValue Read(PointerAddress address) => machine.Pointers.Read(address);

    public string? Leads(PointerAddress address, PointerValue value) => machine.Pointers.Leads(address, value);

    public PointerValue Spell(PointerAddress address, Place place, PointerValue present) =>
        machine.Pointers.Spell(address, place, present);

    public void Swap(PointerAddress address, PointerValue expected, PointerValue next)
    {
        about($"pointer {address.Key}");
        machine.Pointers.Swap(address, expected, next);
        about($"after pointer {address.Key}");
    }

    private sealed class Volume(IVolume volume, Action<string> about) : IVolume
    {
        public VolumeIdentity Identity => volume.Identity;

        public long FreeBytes => volume.FreeBytes;

        public FileSystemAbilities Abilities => volume.Abilities;

        public int Workers => 1;

        public int Readers => 1;

        public IFolder OpenRoot() => new Folder(volume.OpenRoot(), about);

        public void Sync()
        {
            about("sync");
            volume.Sync();
        }

        public void Dispose() => volume.Dispose();
    }

    private sealed class Folder(IFolder folder, Action<string> about) : IFolder
    {
        public NodeFacts Facts() => folder.Facts();

        public IReadOnlyList<FolderEntry> List() => folder.List();

        public NodeFacts? Find(string name) => folder.Find(name);

        public bool HasAttributes(string name) => folder.HasAttributes(name);

        public IFolder OpenFolder(string name) => new Folder(folder.OpenFolder(name), about);

        public IFolder MakeFolder(string name, uint mode) => new Folder(folder.MakeFolder(name, mode), about);

        public IFileHandle OpenFile(string name, bool append = false) =>
            new FileHandle(folder.OpenFile(name, append), name, about);

        public IFileHandle MakeFile(string name) => new FileHandle(folder.MakeFile(name), name, about);

        public string ReadLink(string name) => folder.ReadLink(name);

        public void MakeLink(string name, string target) => folder.MakeLink(name, target);

        public void MakeHardLink(string name, IFolder to, string existing) =>
            folder.MakeHardLink(name, ((Folder)to).Inner, existing);

        public void MakeFifo(string name) => folder.MakeFifo(name);

        public void Move(string name, IFolder to, string newName)
        {
            about($"rename {name} to {newName}");
            folder.Move(name, ((Folder)to).Inner, newName);
            about($"after rename {name} to {newName}");
        }

        public void RemoveFile(string name) => folder.RemoveFile(name);

        public void RemoveFolder(string name) => folder.RemoveFolder(name);

        public Attributes ReadAttributes() => folder.ReadAttributes();

        public void Apply(in NodeFacts facts, Attributes attributes) => folder.Apply(facts, attributes);

        public void ApplyTo(string name, in NodeFacts facts) => folder.ApplyTo(name, facts);

        public void Flush()
        {
            about("flush folder");
            folder.Flush();
        }

        public void Dispose() => folder.Dispose();

        private IFolder Inner => folder;
    }

    private sealed class FileHandle(IFileHandle file, string name, Action<string> about) : IFileHandle
    {
        public NodeFacts Known => file.Known;

        public NodeFacts Facts() => file.Facts();

        public UInt128 CopyTo(IFileHandle target, ByteCounter counter, CancellationToken stop) =>
            file.CopyTo(((FileHandle)target).Inner, counter, stop);

        public ReadBack ReadBack(ByteCounter counter, CancellationToken stop) => file.ReadBack(counter, stop);

        public Attributes ReadAttributes() => file.ReadAttributes();

        public void Apply(in NodeFacts facts, Attributes attributes) => file.Apply(facts, attributes);

        public Stream Read() => file.Read();

        public void Append(ReadOnlySpan<byte> bytes) => file.Append(bytes);

        public void Flush()
        {
            about($"flush {name}");
            file.Flush();
        }

        public void Dispose() => file.Dispose();

        private IFileHandle Inner => file;
    }
}
