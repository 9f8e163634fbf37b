using Furlough.Engine.Ports;

namespace Furlough.Engine;

/// <summary>
/// The one way in which the engine writes a small file: under a new name, flushed, renamed, its folder flushed. Anyone
/// who looks finds the former content or the whole new one, or none.
/// </summary>
public static class DurableFile
{
    /// <summary>Writes a file of the engine's own, in a folder of its own.</summary>
    public static void Write(IFolder folder, string name, ReadOnlySpan<byte> content)
    {
        var fresh = Fresh(folder, name);
        using (var file = folder.MakeFile(fresh))
        {
            file.Append(content);
            file.Flush();
        }
        Rename(folder, fresh, name);
    }

    /// <summary>Copies a file of the engine's own into another of its folders.</summary>
    public static void Copy(IFolder from, string name, IFolder to, string newName)
    {
        var fresh = Fresh(to, newName);
        using (var source = from.OpenFile(name))
        using (var file = to.MakeFile(fresh))
        {
            source.CopyTo(file, new ByteCounter(), CancellationToken.None);
            file.Flush();
        }
        Rename(to, fresh, newName);
    }

    private static string Fresh(IFolder folder, string name)
    {
        var fresh = name + "-new";
        if (folder.Find(fresh) is not null)
            folder.RemoveFile(fresh);
        return fresh;
    }

    private static void Rename(IFolder folder, string fresh, string name)
    {
        if (folder.Find(name) is not null)
            folder.RemoveFile(name);
        folder.Move(fresh, folder, name);
        folder.Flush();
    }
}
