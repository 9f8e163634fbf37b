namespace Furlough.Service;

/// <summary>How the service is started.</summary>
/// <param name="Data">Folder for storage, keys and the first token.</param>
/// <param name="Port">Port on loopback; 0 takes a free one.</param>
/// <param name="Console">Folder of the built console, or null to look beside the program.</param>
public sealed record ServiceOptions(string Data, int Port, string? Console = null);
