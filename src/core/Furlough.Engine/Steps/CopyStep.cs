using System.Globalization;
using Furlough.Engine.Ports;
using Furlough.Engine.Trees;

namespace Furlough.Engine.Steps;

/// <summary>Copies the source into the staging folder. An attempt that was cut short is taken up where its list ends.</summary>
public sealed class CopyStep : IStep
{
    /// <inheritdoc/>
    public Model.Step Name => Model.Step.Copy;

    /// <inheritdoc/>
    public void Perform(Work work)
    {
        var sourceVolume = work.SourceVolume();
        var targetVolume = work.TargetVolume();
        using var source = OpenHolding(work, sourceVolume);
        using var parent = Work.Parent(targetVolume, work.Docket.Target);
        using var own = parent.OpenFolder(work.FolderName);
        using var staging = own.OpenFolder(Layout.Staging);
        if (own.Find(Layout.Manifest) is not null) own.RemoveFile(Layout.Manifest);

        var lists = own.List().Where(e => e.Name.StartsWith(Layout.Listed, StringComparison.Ordinal)).Select(e => e.Name).ToList();
        var earlier = lists.Count == 0 ? [] : ReadEarlier(own, lists);
        var fresh = Layout.Listed + (lists.Select(Number).DefaultIfEmpty(0).Max() + 1).ToString(CultureInfo.InvariantCulture);
        var counter = new TreeCounter();
        using (work.Watch(Name, counter))
        using (var list = own.MakeFile(fresh))
        {
            own.Flush();
            foreach (var note in TreeCopy.Run(source, staging, targetVolume, list, earlier, Math.Min(sourceVolume.Workers, targetVolume.Workers), counter, work.Stop)) work.Report(note);
        }
        work.TargetVolume();
        own.Move(fresh, own, Layout.Manifest);
        foreach (var list in lists) own.RemoveFile(list);
        own.Flush();
    }

    private static int Number(string name) =>
        int.TryParse(name.AsSpan(Layout.Listed.Length), NumberStyles.None, CultureInfo.InvariantCulture, out var n) ? n : 0;

    private static Dictionary<string, ManifestEntry> ReadEarlier(IFolder own, IEnumerable<string> lists)
    {
        var earlier = new Dictionary<string, ManifestEntry>(StringComparer.Ordinal);
        foreach (var name in lists.OrderBy(Number))
        {
            using var file = own.OpenFile(name);
            using var stream = file.Read();
            foreach (var entry in Manifest.Read(stream)) earlier[entry.Path] = entry;
        }
        return earlier;
    }

    /// <summary>Opens the holding's folder at its source.</summary>
    internal static IFolder OpenHolding(Work work, IVolume sourceVolume)
    {
        using var parent = Work.Parent(sourceVolume, work.Docket.Source);
        return parent.OpenFolder(work.Docket.Source.Parts[^1]);
    }
}
