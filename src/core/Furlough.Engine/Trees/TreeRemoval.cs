using Furlough.Engine.Ports;

namespace Furlough.Engine.Trees;

/// <summary>Removes a tree relative to open handles, following no link (I8).</summary>
public sealed class TreeRemoval : IDisposable
{
    private const int PortionSize = 256;

    private readonly Crew<Portion> _crew;
    private readonly TreeCounter? _counter;
    private readonly CancellationToken _stop;

    private TreeRemoval(int workers, TreeCounter? counter, CancellationToken stop)
    {
        (_counter, _stop) = (counter, stop);
        _crew = new Crew<Portion>(workers, Remove);
    }

    /// <summary>
    /// Removes the folder <paramref name="name"/> and everything below it. Repeating it finishes what was begun.
    /// </summary>
    public static void Run(
        IFolder parent,
        string name,
        CancellationToken stop,
        TreeCounter? counter = null,
        int workers = 1
    )
    {
        if (parent.Find(name) is not { } facts)
            return;
        if (facts.Kind != NodeKind.Folder)
        {
            parent.RemoveFile(name);
            return;
        }
        using (var removal = new TreeRemoval(workers, counter, stop))
        {
            removal.Empty(new Leaving(parent.OpenFolder(name), name, null), 0);
            removal._crew.Drain();
        }
        parent.RemoveFolder(name);
    }

    /// <summary>Waits for anyone who still works for this removal.</summary>
    public void Dispose() => _crew.Dispose();

    private void Empty(Leaving at, int level)
    {
        using (at)
        {
            if (level > Walk.DeepestLevel)
                throw Walk.TooDeep(at.Name);
            List<string> leaves = [];
            List<string> folders = [];
            foreach (var entry in at.Folder.List())
                (entry.Kind == NodeKind.Folder ? folders : leaves).Add(entry.Name);
            foreach (var portion in leaves.Chunk(PortionSize))
                _crew.Hand(new Portion(at.Share(), portion));
            foreach (var name in folders)
            {
                _stop.ThrowIfCancellationRequested();
                Empty(new Leaving(at.Folder.OpenFolder(name), name, at.Share()), level + 1);
            }
            at.Walked();
        }
    }

    private void Remove(Portion portion)
    {
        using (portion)
        {
            foreach (var name in portion.Names)
            {
                _stop.ThrowIfCancellationRequested();
                portion.At.Folder.RemoveFile(name);
                _counter?.FileDone();
            }
            portion.Done = true;
        }
    }

    private sealed record Portion(Leaving At, IReadOnlyList<string> Names) : IDisposable
    {
        internal bool Done { get; set; }

        public void Dispose()
        {
            if (!Done)
                At.Keep();
            At.Dispose();
        }
    }

    /// <summary>A folder that goes when anyone who empties it has finished; then the one above it may go.</summary>
    private sealed class Leaving(IFolder folder, string name, Leaving? above) : IDisposable
    {
        private int _holders = 1;
        private volatile bool _walked,
            _kept;

        internal IFolder Folder => folder;

        internal string Name => name;

        internal Leaving Share()
        {
            Interlocked.Increment(ref _holders);
            return this;
        }

        internal void Walked() => _walked = true;

        internal void Keep() => _kept = true;

        public void Dispose()
        {
            if (Interlocked.Decrement(ref _holders) > 0)
                return;
            folder.Dispose();
            if (above is null)
                return;
            try
            {
                if (_walked && !_kept)
                    above.Folder.RemoveFolder(name);
                else
                    above.Keep();
            }
            finally
            {
                above.Dispose();
            }
        }
    }
}
