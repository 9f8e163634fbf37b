using System.Text;
using Furlough.Engine;
using Furlough.Engine.Ports;

namespace Furlough.Platform.Surveys;

/// <summary>The marker in the root of a volume, by which it is recognised again.</summary>
internal static class VolumeMark
{
    private const int MostBytes = 200;

    /// <summary>The marker, or nothing.</summary>
    internal static string Read(IFolder root)
    {
        if (root.Find(Layout.VolumeMarker) is not { Kind: NodeKind.File, SizeBytes: < MostBytes })
            return "";
        using var file = root.OpenFile(Layout.VolumeMarker);
        using var text = new StreamReader(file.Read(), Encoding.ASCII);
        return Guid.TryParse(text.ReadToEnd().Trim(), out var id) ? id.ToString("D") : "";
    }

    /// <summary>Leaves a fresh marker.</summary>
    internal static string Write(IFolder root)
    {
        var id = Guid.CreateVersion7().ToString("D");
        var fresh = Layout.VolumeMarker + "-new";
        if (root.Find(fresh) is not null)
            root.RemoveFile(fresh);
        using (var file = root.MakeFile(fresh))
        {
            file.Append(Encoding.ASCII.GetBytes(id + "\n"));
            file.Flush();
        }
        if (root.Find(Layout.VolumeMarker) is not null)
            root.RemoveFile(Layout.VolumeMarker);
        root.Move(fresh, root, Layout.VolumeMarker);
        root.Flush();
        return id;
    }
}
