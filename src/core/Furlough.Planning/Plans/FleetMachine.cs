using Furlough.Model;

namespace Furlough.Planning.Plans;

/// <summary>A machine as planning sees it.</summary>
/// <param name="Silent">It has not been heard of for a while.</param>
public sealed record FleetMachine(Guid Id, string Name, string Room, Survey? Survey, bool Silent);
