namespace Furlough.Service;

/// <summary>Where the service can be reached, once it listens: texts that it sends name it.</summary>
public sealed class ServiceAddress
{
    private readonly TaskCompletionSource<Uri> _known = new(TaskCreationOptions.RunContinuationsAsynchronously);

    /// <summary>Ends when the service listens.</summary>
    public Task<Uri> Known => _known.Task;

    /// <summary>It listens there.</summary>
    public void Is(Uri address) => _known.TrySetResult(address);
}
