return await Furlough.Agent.AgentCommandLine.RunAsync(args);
