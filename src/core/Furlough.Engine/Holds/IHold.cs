using Furlough.Model;

namespace Furlough.Engine.Holds;

/// <summary>
/// One thing that keeps a holding from being written while it is switched. Quiesce takes the holds of a docket in order,
/// reopen releases them in reverse.
/// </summary>
public interface IHold
{
    /// <summary>Names it in journals; never changed.</summary>
    string Name { get; }

    /// <summary>
    /// How what it holds is now, in its own notation, to be put back by <see cref="Release"/>; null where it cannot be
    /// held on this machine, or has nothing to do with the docket.
    /// </summary>
    string? Former(Docket docket);

    /// <summary>Takes it. Repeating it changes nothing.</summary>
    void Take(Docket docket) { }

    /// <summary>Who still uses the holding although the hold is taken; null for nobody.</summary>
    /// <param name="moving">The folder that is about to move.</param>
    Fault? InTheWay(Docket docket, Place moving) => null;

    /// <summary>Puts back what <see cref="Former"/> said. Repeating it changes nothing.</summary>
    void Release(Docket docket, string former) { }

    /// <summary>What is reported where it cannot be held; null for nothing.</summary>
    string? Without(Docket docket) => null;
}
