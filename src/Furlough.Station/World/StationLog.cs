using System.Globalization;
using Furlough.Engine;
using Furlough.Engine.Ports;
using Furlough.Model;

namespace Furlough.Station.World;

/// <summary>Brings a stand-in back to what its log says. A torn last line is passed over.</summary>
internal static class StationLog
{
    internal static void Replay(StationMachine machine, IEnumerable<string> lines)
    {
        foreach (var line in lines)
        {
            var f = line.Split('\t');
            switch (f)
            {
                case ["once", var happening]:
                    machine.Once(happening);
                    break;
                case ["set", var container, var key, var type, var text]:
                    machine.SetSetting(
                        container,
                        key,
                        type == PointerValue.Absent.Type ? PointerValue.Absent : new PointerValue(type, text)
                    );
                    break;
                case ["bar" or "allow", var account]:
                    machine.SetBarred(account, f[0] == "bar");
                    break;
                case ["dir", var id, var parent, var name]:
                    Put(machine, NodeKind.Folder, id, parent, name);
                    break;
                case ["link", var id, var parent, var name, var text]:
                    Put(machine, NodeKind.Link, id, parent, name).Link = PathText.Unescape(text);
                    break;
                case ["facts", var id, var mode, var owner, var group, var modified]:
                    var node = machine.Node(Int(id));
                    (node.Mode, node.Owner, node.Group, node.ModifiedNs) = (
                        uint.Parse(mode, CultureInfo.InvariantCulture),
                        uint.Parse(owner, CultureInfo.InvariantCulture),
                        uint.Parse(group, CultureInfo.InvariantCulture),
                        long.Parse(modified, CultureInfo.InvariantCulture)
                    );
                    break;
                case ["file", var id, var parent, var name, var size, var content, var stored]:
                    var file = Put(machine, NodeKind.File, id, parent, name);
                    if (stored == "stored")
                        file.StoredAt = machine.StorageOf(file);
                    file.SizeBytes =
                        stored == "stored" && File.Exists(file.StoredAt)
                            ? new FileInfo(file.StoredAt!).Length
                            : long.Parse(size, CultureInfo.InvariantCulture);
                    file.Content = ulong.Parse(content, CultureInfo.InvariantCulture);
                    file.Volume.UsedBytes += file.SizeBytes;
                    break;
                case ["range", var id, var seed, var count, var prefix, var ending, var mean, var owner]:
                    machine
                        .Node(Int(id))
                        .SetRange(
                            new FileRange(
                                ulong.Parse(seed, CultureInfo.InvariantCulture),
                                Int(count),
                                prefix,
                                ending,
                                long.Parse(mean, CultureInfo.InvariantCulture),
                                uint.Parse(owner, CultureInfo.InvariantCulture)
                            ),
                            full: false
                        );
                    break;
                case ["runs", var id, var runs]:
                    SetRuns(machine.Node(Int(id)), runs);
                    break;
                case ["move", var from, var name, var to, var newName]:
                    if (machine.Node(Int(from)).Children.Remove(PathText.Unescape(name), out var moving))
                        machine.Node(Int(to)).Children[PathText.Unescape(newName)] = moving;
                    break;
                case ["gone", var parent, var name]:
                    if (machine.Node(Int(parent)).Children.Remove(PathText.Unescape(name), out var gone))
                        gone.Volume.UsedBytes -= gone.Kind == NodeKind.File ? gone.SizeBytes : 0;
                    break;
            }
        }
    }

    private static void SetRuns(StationNode folder, string runs)
    {
        var present = new HashSet<int>();
        foreach (var run in runs.Split(',', StringSplitOptions.RemoveEmptyEntries))
        {
            var ends = run.Split('-');
            for (var i = Int(ends[0]); i <= Int(ends[1]); i++)
                present.Add(i);
        }
        for (var i = 0; i < folder.Range!.Count; i++)
            folder.Set(i, present.Contains(i));
        folder.RangeDirty = false;
    }

    private static StationNode Put(StationMachine machine, NodeKind kind, string id, string parent, string name)
    {
        var folder = machine.Node(Int(parent));
        var node = machine.NewNode(kind, folder.Volume, Int(id));
        folder.Children[PathText.Unescape(name)] = node;
        return node;
    }

    private static int Int(string text) => int.Parse(text, CultureInfo.InvariantCulture);
}
