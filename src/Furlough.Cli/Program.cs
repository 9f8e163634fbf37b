using Furlough.Cli;

Console.OutputEncoding = System.Text.Encoding.UTF8;
return await CommandLine.RunAsync(args, Console.Out, Console.Error, live: !Console.IsOutputRedirected);
