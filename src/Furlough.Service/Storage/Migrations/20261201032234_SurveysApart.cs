using System;
using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Furlough.Service.Storage.Migrations
{
    /// <inheritdoc />
    public partial class SurveysApart : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.CreateTable(
                name: "Surveys",
                columns: table => new
                {
                    Machine = table.Column<Guid>(type: "TEXT", nullable: false),
                    Body = table.Column<string>(type: "TEXT", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_Surveys", x => x.Machine);
                });

            migrationBuilder.Sql("INSERT INTO Surveys (Machine, Body) SELECT Id, Survey FROM Machines WHERE Survey IS NOT NULL");

            migrationBuilder.DropColumn(
                name: "Survey",
                table: "Machines");
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.AddColumn<string>(
                name: "Survey",
                table: "Machines",
                type: "TEXT",
                nullable: true);

            migrationBuilder.Sql("UPDATE Machines SET Survey = (SELECT Body FROM Surveys WHERE Machine = Machines.Id)");

            migrationBuilder.DropTable(
                name: "Surveys");
        }
    }
}
